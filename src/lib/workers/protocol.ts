import type { ImageProgress, SurveyDocument } from '$core/survey';
import type { Outcome } from '$core/problem';

/** What the image worker is asked, and what it says. */
export interface ReadImage {
  file: File;
  machineName: string;
  takenAt: string;
}

export type ImageMessage =
  { kind: 'progress'; progress: ImageProgress } | { kind: 'done'; outcome: Outcome<SurveyDocument> };
