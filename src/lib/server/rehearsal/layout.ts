import { proveLayout, type LayoutProof } from '$core/proof';
import type { ByteSource } from '$core/images/source';
import { failure, type Outcome } from '$core/problem';
import type { Step } from '$core/steps';
import { surveyFromImage, type SurveyDocument, type SurveyPartition } from '$core/survey';
import { sheetFrom, type Making } from '../making';

export interface Rehearsed {
  survey: SurveyDocument;
  disk: number;
  steps: readonly Step[];
  /** What a work sheet of the route is made of. */
  making: Making;
}

/**
 * Surveys a stand-in by its bytes after a route, and holds that against what a work sheet of the route promises: the same as is done
 * after the real work.
 *
 * Problem codes: those of `surveyFromImage`, `makeSheet` and `proveLayout`.
 */
export async function provedLayout(disk: ByteSource, what: Rehearsed): Promise<Outcome<LayoutProof>> {
  const sheet = sheetFrom({ survey: what.survey, making: what.making });
  if (!sheet.ok) return sheet;
  const after = Math.max(Date.now(), Date.parse(what.survey.takenAt) + 1000);
  const read = await surveyFromImage(disk, {
    machineName: what.survey.machine.name,
    takenAt: new Date(after).toISOString(),
  });
  if (!read.ok) return read;
  const [seen] = read.value.disks;
  const before = what.survey.disks.find(({ number }) => number === what.disk);
  if (!seen || !before)
    return failure({ code: 'other-disk', path: '', message: 'The disk is not in the survey.' });
  const { number, model, serial, media } = before;
  return proveLayout(sheet.value, what.survey, {
    ...read.value,
    machine: what.survey.machine,
    disks: [
      {
        ...seen,
        number,
        model,
        serial,
        media,
        partitions: seen.partitions.map((one) => withKept(one, before.partitions, what.steps)),
      },
    ],
  });
}

/**
 * What bytes do not tell is taken from the survey before, as far as Windows keeps it with what did not change: letters and
 * encryption by GUID, on MBR by the place. The check that Windows makes at its next start of what was extended counts as made.
 */
function withKept(
  seen: SurveyPartition,
  before: readonly SurveyPartition[],
  steps: readonly Step[],
): SurveyPartition {
  const old = before.find((one) =>
    seen.id ? one.id?.toUpperCase() === seen.id.toUpperCase() : one.first === seen.first,
  );
  if (!old) return seen;
  const extended = steps.some((step) => step.verb === 'extend' && step.partition === old.number);
  const { encryption } = old.volume ?? {};
  return {
    ...seen,
    ...(old.letter ? { letter: old.letter } : {}),
    ...(old.role ? { role: old.role } : {}),
    ...(seen.volume
      ? {
          volume: {
            ...seen.volume,
            ...(extended ? { dirty: false } : {}),
            ...(encryption ? { encryption } : {}),
          },
        }
      : {}),
  };
}
