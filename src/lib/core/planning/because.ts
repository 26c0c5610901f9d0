import { findBootRepairs, copyOf, findPartition, joinNames, type Step } from '../steps';
import { plainName, type Disk } from '../disk';
import { formatDuration, formatSize } from '../units';
import type { Criteria } from './criteria';
import type { Totals } from './evaluate';
import { isBootedFrom, type Usual } from './usual';

/** Reasons of a route's place in the usual order. */
interface Told {
  disk: Disk;
  steps: readonly Step[];
  totals: Totals;
  usual: Usual;
  criteria: Pick<Criteria, 'givesUp'>;
}

/**
 * In one sentence why a route stands where it does in the usual order: the figures of it that a technician would name.
 */
export function becauseOf(told: Told): string {
  const { totals, usual, criteria } = told;
  const parts = [madeAndOrder(told), ...bootWords(told)];
  if (criteria.givesUp) parts.push('Recovery no longer stands behind Windows');
  if (usual.waste > 0) parts.push(`${formatSize(usual.waste)} stay unused that nobody asked for`);
  parts.push(
    totals.exposedBytes > 0
      ? `${formatDuration(totals.exposedSeconds)} exposed, so have power backup`
      : 'nothing is exposed to a power cut',
  );
  return `${parts.join('; ')}.`;
}

function madeAndOrder({ disk, steps, usual }: Told): string {
  const names = (verb: Step['verb'], which: (number: number) => boolean = () => true): string[] => {
    const numbers = steps.flatMap((step) =>
      step.verb === verb && step.partition !== null && which(step.partition) ? [step.partition] : [],
    );
    return [...new Set(numbers)].flatMap((number) => {
      const found = findPartition(disk, number);
      return found ? [plainName(found)] : [];
    });
  };
  const converted = names('convert-volume');
  const joins = new Set(
    steps.flatMap((step) => (step.verb === 'join' ? ['of' in step ? step.of : step.partition] : [])),
  );
  const joined = [...joins].flatMap((number) => findPartition(disk, number) ?? []).map(plainName);
  const copied = names('copy', (number) => !joins.has(number));
  const aside = names('set-aside');
  const allowed = names('delete', (number) => !copyOf(steps, number));
  const done = [
    ...(converted.length > 0 ? [`${joinNames(converted)} is converted to NTFS for good`] : []),
    ...(steps.some(({ verb }) => verb === 'convert-table')
      ? ['the table is converted to GPT for good, and the machine starts by UEFI']
      : []),
    ...(joined.length > 0
      ? [
          `${joinNames(joined)} ${joined.length > 1 ? 'go' : 'goes'} into a folder, and ${joined.length > 1 ? 'their letters are' : 'its letter is'} gone`,
        ]
      : []),
    ...(copied.length > 0
      ? [`${joinNames(copied)} ${copied.length > 1 ? 'are' : 'is'} copied and deleted`]
      : []),
    ...(aside.length > 0 ? [`${joinNames(aside)} is set aside and put back`] : []),
    ...(allowed.length > 0
      ? [`${joinNames(allowed)} ${allowed.length > 1 ? 'go' : 'goes'}, as allowed`]
      : []),
  ];
  const said = joinNames(done);
  const what = done.length > 0 ? said.charAt(0).toUpperCase() + said.slice(1) : 'Nothing is deleted';
  if (steps.some(({ verb }) => verb === 'clone')) return 'The old disk is only read, and stays the way back';
  const stays = usual.orderChanges === 0;
  if (!stays) return `${what}, but the order on the disk changes`;
  return `${what}${done.length > 0 ? ',' : ''} and the order stays`;
}

function bootWords({ disk, steps, usual }: Told): string[] {
  if (usual.bootStarts === 0) return [];
  const moved = disk.partitions.filter(
    (one) => isBootedFrom(one) && steps.some((step) => step.verb === 'move' && step.partition === one.number),
  );
  const repair = findBootRepairs(disk, steps).must.length > 0;
  const names = joinNames(moved.map(plainName));
  return [
    `${names}, which the machine starts from, ${moved.length > 1 ? 'move' : 'moves'}${repair ? ', and boot data must be repaired' : ''}`,
  ];
}
