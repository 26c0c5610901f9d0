import type { JobStage } from '$contract/jobs';
import { change, rows, type Db } from '../../store/database/database';

interface Facts {
  survey_id: number | null;
  goal_survey: number | null;
  same_target: number | null;
  reached: number | null;
  sheet_survey: number | null;
  items: number | null;
  done: number | null;
  layout: string | null;
  files: string | null;
}

/** Works the stage out anew and keeps it with the job, so that lists can be filtered by it. */
export async function updateStage(db: Db, jobId: number): Promise<void> {
  const [facts] = await rows<Facts>(
    db,
    `SELECT (SELECT MAX(id) FROM surveys WHERE job_id = j.id AND purpose = 'found') AS survey_id,
            g.survey_id AS goal_survey,
            g.disk_number = j.disk_number AND g.partition_number = j.partition_number AS same_target,
            (SELECT reached FROM routes WHERE goal_id = g.id ORDER BY id DESC LIMIT 1) AS reached,
            h.survey_id AS sheet_survey, h.items, h.done,
            (SELECT verdict FROM proofs WHERE sheet_id = h.id AND kind = 'layout' ORDER BY id DESC LIMIT 1) AS layout,
            (SELECT verdict FROM proofs WHERE sheet_id = h.id AND kind = 'files' ORDER BY id DESC LIMIT 1) AS files
       FROM jobs j
       LEFT JOIN goals g ON g.id = (SELECT MAX(id) FROM goals WHERE job_id = j.id)
       LEFT JOIN sheets h ON h.id = (SELECT MAX(id) FROM sheets WHERE job_id = j.id)
      WHERE j.id = ?`,
    [jobId],
  );
  if (facts) await change(db, 'UPDATE jobs SET stage = ? WHERE id = ?', [stageOf(facts), jobId]);
}

function stageOf(facts: Facts): JobStage {
  if (facts.survey_id === null) return 'survey';
  if (facts.sheet_survey === facts.survey_id) {
    if (facts.layout === 'proved' && (facts.files ?? 'proved') === 'proved') return 'done';
    return facts.done === facts.items || facts.layout !== null ? 'proof' : 'sheet';
  }
  if (facts.goal_survey !== facts.survey_id || facts.same_target !== 1) return 'diagnosis';
  return facts.reached === 1 ? 'route' : 'target';
}
