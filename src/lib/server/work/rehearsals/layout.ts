import type { SheetSource } from '$contract/sheetSource';
import { proveLayout, type LayoutProof } from '$core/proof';
import type { ByteSource } from '$core/images/source';
import { failure, type Outcome } from '$core/problem';
import type { Step } from '$core/steps';
import { surveyFromImage, type SurveyDocument, type SurveyPartition } from '$core/survey';
import type { Promised } from '$core/worksheet';
import { remakeSheet } from '../goals/sheetSource';

export interface Rehearsed {
  survey: SurveyDocument;
  disk: number;
  steps: readonly Step[];
  /** Source of a work sheet of the route. */
  source: SheetSource;
}

/**
 * Surveys a stand-in by its bytes after a route, and holds that against what a work sheet of the route promises: the
 * same as is done after the real work.
 *
 * Problem codes: those of `surveyFromImage`, `makeSheet` and `proveLayout`.
 */
export async function proveStandInLayout(disk: ByteSource, what: Rehearsed): Promise<Outcome<LayoutProof>> {
  const sheet = remakeSheet({ survey: what.survey, source: what.source });
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
        partitions: seen.partitions.map((one) =>
          withKept(one, before.partitions, sheet.value.promise, what.steps),
        ),
      },
    ],
  });
}

/**
 * The number of the partition whose volume may have another size after a step, so that Windows checks it at its next
 * start.
 */
function fittedBy(step: Step): number | null {
  switch (step.verb) {
    case 'extend':
    case 'shrink':
    case 'put-back':
      return step.partition;
    case 'copy':
      return 'fromOutside' in step ? step.partition : 'partition' in step.into ? step.into.partition : null;
    case 'relocate-table':
    case 'enlarge-disk':
    case 'move':
    case 'delete':
    case 'create':
    case 'set-aside':
    case 'decrypt':
    case 'make-table':
    case 'clone':
    case 'boot-check':
    case 'convert-volume':
    case 'convert-table':
    case 'join':
    case 'move-folders':
      return null;
  }
}

/**
 * What bytes do not tell is taken from the survey before, as far as Windows keeps it with what did not change: letters
 * and encryption by GUID, on MBR by the place. A partition that the route makes anew has the letter that the sheet has
 * people give it. The check that Windows makes at its next start of what has another size counts as made.
 */
function withKept(
  seen: SurveyPartition,
  before: readonly SurveyPartition[],
  { partitions }: Promised,
  steps: readonly Step[],
): SurveyPartition {
  const promised = partitions.find(({ first }) => first === seen.first);
  const old = before.find((one) =>
    promised ? one.number === promised.number : seen.id && one.id?.toUpperCase() === seen.id.toUpperCase(),
  );
  const letter = old?.letter ?? promised?.letter;
  const fitted = steps.some((step) => fittedBy(step) === promised?.number);
  const encryption = old?.volume?.encryption;
  return {
    ...seen,
    ...(letter ? { letter } : {}),
    ...(old?.role ? { role: old.role } : {}),
    ...(seen.volume
      ? {
          volume: {
            ...seen.volume,
            ...(fitted ? { dirty: false } : {}),
            ...(encryption ? { encryption } : {}),
          },
        }
      : {}),
  };
}
