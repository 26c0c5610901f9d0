import type { RunPlace } from '$contract/rehearsalStates';
import { overlaps, type Disk } from '$core/disk';
import { stepPartition, type Step } from '$core/steps';
import { formatSize } from '$core/units';

/** What a rehearsal is at, as far as words need it. */
export interface RehearsalMoment {
  phase: string;
  step: number;
  arrived: number;
  toArrive: number;
  backing: boolean;
  /** What the route is carried out on; a stand-in where nothing is said. */
  place?: RunPlace;
}

/** What state the disk is in after the power was cut, and what that would mean elsewhere. */
export interface PowerGone {
  title: string;
  state: string;
  /** With a mover that keeps no journal. */
  elsewhere: string;
}

/** The partition of a step as a sentence names it. */
const nameOf = (disk: Disk, steps: readonly Step[], step: Step): string =>
  step.partition === null ? 'the disk' : stepPartition(disk, steps, step);

const NOTHING_LOST = 'The same: at this moment a power cut loses nothing.';

/** What the moment of a cut means, in plain words. */
export function describePowerCut(disk: Disk, steps: readonly Step[], now: RehearsalMoment): PowerGone {
  const step = steps[now.step];
  if (now.phase !== 'carrying-out' || !step) {
    return now.phase === 'after' || now.phase === 'over'
      ? {
          title: 'While everything was looked through',
          state: 'All steps are done; nothing was being written.',
          elsewhere: NOTHING_LOST,
        }
      : {
          title: 'Before the first step',
          state: 'Nothing was written to any volume yet.',
          elsewhere: NOTHING_LOST,
        };
  }
  const name = nameOf(disk, steps, step);
  const title = `Step ${now.step + 1}, ${name}`;
  const share = `${formatSize(now.arrived)} of ${formatSize(now.toArrive)}`;
  switch (step.verb) {
    case 'move': {
      const over = overlaps(step.from, step.to);
      return {
        title: `${title} moves`,
        state: over
          ? `${share} lie in the new place, the rest in the old one. The table still names the old place.`
          : `${share} lie in the new place as well. The old place still holds everything, and the table names it.`,
        elsewhere: over
          ? `${name} could be read from neither place.`
          : `${name} is whole in its old place; its move is begun anew.`,
      };
    }
    case 'extend':
      return {
        title: `${title} is extended`,
        state:
          'The table may name the larger partition already; the volume inside is whole, with its old or its new size.',
        elsewhere: 'The partition may be larger than its volume. Extending once more mends that.',
      };
    case 'set-aside':
      return {
        title: `${title} is set aside`,
        state: `${share} are kept beside the disk. The partition is still there, whole.`,
        elsewhere: 'The same, as long as the partition is not deleted.',
      };
    case 'put-back':
      return {
        title: `${title} is put back`,
        state: `${share} are back in what is still unallocated; what was kept beside the disk is whole.`,
        elsewhere: 'It would be made anew from its beginning.',
      };
    case 'shrink':
      return {
        title: `${title} is made smaller`,
        state: `${share} lie closer together already. Size and table are as before, and every file is whole.`,
        elsewhere: `${name} is as large as before; files that were being moved may need a file check.`,
      };
    case 'create':
      return {
        title: `${title} is made`,
        state: 'An empty file system is written where nothing lies. The table names it last.',
        elsewhere: 'Nothing is lost: what was begun is deleted and made again.',
      };
    case 'copy':
      return {
        title: `${title} is copied`,
        state: `${share} have arrived. The volume that they come from is whole.`,
        elsewhere: 'The same: the copy is begun anew.',
      };
    case 'relocate-table':
    case 'delete':
    case 'enlarge-disk':
    case 'decrypt':
    case 'make-table':
    case 'clone':
    case 'boot-check':
    case 'convert-volume':
    case 'convert-table':
    case 'join':
    case 'move-folders':
      return {
        title,
        state: 'The table is being changed. One valid copy of it is there at every instant.',
        elsewhere: 'A table that is written in one go can be lost with the power.',
      };
  }
}

/** What is being done at this moment, shortly. */
export function describeProgress(disk: Disk, steps: readonly Step[], now: RehearsalMoment): string {
  switch (now.phase) {
    case 'waiting':
      return 'Waits for its turn';
    case 'making':
      return now.place === 'copy' ? 'The copy is being made' : 'The stand-in is being made';
    case 'before':
      return 'Everything on it is taken down, file by file';
    case 'after':
      return 'Everything is compared with what was there before';
    case 'over':
      return 'Done';
  }
  const step = steps[now.step];
  if (!step) return 'All steps are done';
  const name = nameOf(disk, steps, step);
  return now.backing ? `${name}: the step is taken back` : `${WORD[step.verb]} ${name}`;
}

const WORD: Record<Step['verb'], string> = {
  'relocate-table': 'Relocate the table of',
  'enlarge-disk': 'Enlarge',
  shrink: 'Shrink',
  move: 'Move',
  extend: 'Extend',
  delete: 'Delete',
  create: 'Create',
  copy: 'Copy',
  'set-aside': 'Set aside',
  'put-back': 'Put back',
  decrypt: 'Decrypt',
  'convert-volume': 'Convert',
  'make-table': 'Make table',
  clone: 'Clone',
  'boot-check': 'Start check',
  'convert-table': 'Convert',
  join: 'Join',
  'move-folders': 'Move folders',
};
