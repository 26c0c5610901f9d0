import { stepPartition, type Layout } from '../steps';
import type { Route, Task } from '../planning';
import { sentenceName, type Partition } from '../disk';
import type { Promised, PromisedPartition } from './sheet';

/** What a route promises of every partition as left (contract: a route's `asLeft`, with what belongs to it). */
export function promiseOf(task: Task, { steps }: Route, left: Layout): Promised {
  const { disk, machine } = task;
  const found = new Map(disk.partitions.map((one) => [one.number, one]));
  const putBack = new Set(steps.filter((step) => step.verb === 'put-back').map((step) => step.partition));
  const last = steps.findLast((step) => step.verb === 'enlarge-disk');
  const sectors = last?.verb === 'enlarge-disk' ? last.diskSectors : disk.sectors;
  const promised = (one: Partition): PromisedPartition => {
    const before = found.get(one.number);
    const remade = before === undefined || putBack.has(one.number);
    const making = steps.find((step) => step.verb === 'create' && step.partition === one.number);
    return {
      number: one.number,
      name: before ? sentenceName(one) : making ? stepPartition(disk, steps, making) : sentenceName(one),
      kind: one.kind,
      role: one.role,
      first: one.first,
      sectors: one.sectors,
      type: one.type,
      attributes: one.attributes,
      id: remade ? null : one.id,
      remade,
      letter: one.letter,
      fileSystem: one.volume?.fileSystem ?? null,
      label: one.volume?.label ?? '',
      used: one.volume?.used ?? null,
      // What the route decrypts is encrypted again afterwards (domain facts 10).
      encryption: before?.volume?.encryption.state ?? 'off',
    };
  };
  return {
    diskBytes: sectors * disk.sectorSize,
    recoveryEnabled: machine.recoveryEnvironment?.enabled ?? false,
    partitions: left.partitions.map(promised),
  };
}
