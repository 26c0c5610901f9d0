import { alignment, bytesOf, endOf, nameInSentence, type Disk, type Partition } from '../disk';
import { failure, success, type Outcome } from '../problem';
import { isBootedFrom, type Task } from '../planning';
import type { Intent } from '../steps';
import { sizeLimit } from '../tools';
import { formatSize, roundDown, roundUp } from '../units';

/** Plan of everything that goes to a new disk. */
export interface Onto {
  intents: Intent[];
  /** Bytes that the target has then. */
  size: number;
}

/**
 * The steps that bring everything to the new disk of a task: the partitions in their order, the recovery partition
 * behind Windows, each as large as it is, and the target with all the rest; then the start check, where the machine
 * starts from that disk. Problem codes: `no-room` (the target would get no more).
 */
export function planOnto(task: Task): Outcome<Onto> {
  const { from, disk, target } = task;
  if (!from) return failure({ code: 'no-disk', path: '', message: 'There is no disk to move to.' });
  const slot = alignment(disk);
  const slots = ({ sectors }: Partition): number => roundUp(sectors, slot);
  const order = inOrder(from);
  const others = order.reduce((sum, one) => sum + (one === target ? 0 : slots(one)), 0);
  const first = roundUp(disk.usable.first, slot);
  const end = roundDown(endOf(disk.usable), slot);
  const limit = sizeLimit(disk, target);
  const most = limit ? roundDown(limit.bytes / disk.sectorSize, slot) : Infinity;
  const sectors = Math.min(most, end - first - others);
  if (sectors <= target.sectors) {
    const message = `On disk ${disk.number} ${nameInSentence(target)} would get no more than the ${formatSize(bytesOf(from, target))} that it has.`;
    return failure({ code: 'no-room', path: '', message });
  }
  let at = first;
  const places = order.map((one) => {
    const place = { one, first: at };
    at += one === target ? sectors : slots(one);
    return place;
  });
  // The start of the machine goes first: a tool that needs a restart for it needs one for all of it.
  const clones = [
    ...places.filter(({ one }) => isBootedFrom(one)),
    ...places.filter(({ one }) => !isBootedFrom(one)),
  ];
  const starts = order.some(isBootedFrom);
  const intents = clones.flatMap(({ one, first }): Intent[] => [
    { verb: 'clone', partition: one.number, to: { first, sectors: one.sectors } },
    ...(one === target ? [{ verb: 'extend', partition: one.number, to: { first, sectors } } as const] : []),
  ]);
  return success({
    intents: [{ verb: 'make-table' }, ...intents, ...(starts ? [{ verb: 'boot-check' } as const] : [])],
    size: sectors * disk.sectorSize,
  });
}

/** Order as found, but the recovery partition behind Windows, where it does not stand in the way of what grows. */
function inOrder({ partitions }: Disk): Partition[] {
  const windows = partitions.find(({ role }) => role === 'windows');
  const recovery = partitions.filter(({ role }) => role === 'recovery');
  const [last] = recovery.slice(-1);
  if (!windows || !last) return partitions;
  const rest = partitions.filter((one) => one !== last);
  const place = rest.indexOf(windows) + 1;
  return [...rest.slice(0, place), last, ...rest.slice(place)];
}
