import type { HistoryEntry } from '$contract/jobs';
import type { SurveyPurpose, SurveySource } from '$contract/surveys';

/** A job as it stands in the database: its documents are text, read only where the file is made. */
export interface JobRows {
  job: {
    id: number;
    number: number;
    customer: string;
    machine: string;
    notes: string;
    due: string | null;
    created_at: string;
    disk_number: number | null;
    partition_number: number | null;
  };
  surveys: {
    id: number;
    source: SurveySource;
    purpose: SurveyPurpose;
    created_at: string;
    document: string;
  }[];
  holdings: { survey_id: number; document: string; choices: string }[];
  goals: {
    id: number;
    survey_id: number;
    disk_number: number;
    partition_number: number;
    size_bytes: number;
    keep_free_percent: number;
    options: string | null;
    tools_print: string | null;
    tools: string | null;
    created_at: string;
    answer: string;
    chosen: number;
  }[];
  drawings: { id: number; survey_id: number; name: string; position: number; told: string }[];
  states: { drawing_id: number; document: string }[];
  sheets: {
    id: number;
    survey_id: number;
    origin: string;
    document: string;
    made_of: string | null;
    created_at: string;
  }[];
  ticks: {
    sheet_id: number;
    id: string;
    item: string;
    outcome: 'done' | 'failed' | 'undone';
    who: string;
    at: string;
    note: string;
    seconds: number | null;
    answers: string;
  }[];
  proofs: {
    sheet_id: number;
    kind: 'layout' | 'files';
    survey_id: number | null;
    created_at: string;
    document: string;
  }[];
  rehearsals: {
    goal_id: number;
    chosen: number;
    proof: string;
    who: string;
    created_at: string;
    changed_at: string;
  }[];
  history: HistoryEntry[];
}
