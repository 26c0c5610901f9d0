import { stepPartition, type Layout } from '../steps';
import type { Preparation } from '../holdings';
import type { Route, Task } from '../planning';
import { nameInSentence, type Partition } from '../disk';
import type { Promised, PromisedPartition } from './sheet';

/**
 * What a route promises of every partition as left (contract: a route's `asLeft`, with what belongs to it), once what
 * goes first is gone.
 */
export function promiseOf(
  task: Task,
  { steps }: Route,
  left: Layout,
  first: readonly Preparation[] = [],
): Promised {
  const { disk, machine } = task;
  const found = new Map(disk.partitions.map((one) => [one.number, one]));
  const putBack = new Set(steps.filter((step) => step.verb === 'put-back').map((step) => step.partition));
  const converted = new Set(
    steps.filter((step) => step.verb === 'convert-volume').map((step) => step.partition),
  );
  const last = steps.findLast((step) => step.verb === 'enlarge-disk');
  const sectors = last?.verb === 'enlarge-disk' ? last.diskSectors : disk.sectors;
  const usedOf = ({ number, volume }: Partition): number | null => {
    const emptied = first.find((done) => done.disk === disk.number && done.partition === number);
    return volume?.used == null ? null : Math.min(volume.used, emptied?.stays ?? Infinity);
  };
  const promised = (one: Partition): PromisedPartition => {
    const before = found.get(one.number);
    const remade = before === undefined || putBack.has(one.number);
    const making = steps.find((step) => step.verb === 'create' && step.partition === one.number);
    return {
      number: one.number,
      name: before ? nameInSentence(one) : making ? stepPartition(disk, steps, making) : nameInSentence(one),
      kind: one.kind,
      role: one.role,
      first: one.first,
      sectors: one.sectors,
      type: one.type,
      attributes: one.attributes,
      id: remade || left.table !== disk.table ? null : one.id,
      remade,
      letter: one.letter,
      fileSystem: one.volume?.fileSystem ?? null,
      label: one.volume?.label ?? '',
      // Room of a conversion is an estimate: nothing is promised of it.
      used: converted.has(one.number) ? null : usedOf(one),
      // A volume that the route decrypts is encrypted again afterwards (domain facts 10).
      encryption: before?.volume?.encryption.state ?? 'off',
    };
  };
  return {
    diskBytes: sectors * disk.sectorSize,
    recoveryEnabled: machine.recoveryEnvironment?.enabled ?? false,
    ...(left.table === disk.table ? {} : { newTable: left.table }),
    ...(task.from ? { from: task.from.number } : {}),
    partitions: left.partitions.map(promised),
  };
}
