import type { Intent } from '../steps';
import type { Kit } from '../tools';
import type { Task } from './task';
import { areSameExtents } from '../disk';
import { findChain, type Chain } from './chain';
import { findCheapestPush, findFurthestEnd, type Push } from './orderKeeping';

/** Ways that only push aside what stands behind the target, one by one: found on a disk of any size. */
export function listPushes(task: Task, kit: Kit, size: number): Intent[][] {
  const { disk, target } = task;
  if (target.kind !== 'primary') return [];
  const targetEnd = target.first + size / disk.sectorSize;
  const enlarged = !areSameExtents(disk.usable, disk.usableRelocated);
  return (enlarged ? [false, true] : [false]).flatMap((relocate) => {
    const chain = findChain(task, kit, relocate ? disk.usableRelocated : disk.usable);
    const push = findCheapestPush(task, chain, targetEnd);
    return push ? [intentsOf(task, chain, push, relocate)] : [];
  });
}

/** The most sectors that the target can get by pushing alone. */
export function findLargestByPushing(task: Task, kit: Kit): number {
  const { disk, target } = task;
  if (target.kind !== 'primary') return target.sectors;
  const chain = findChain(task, kit, disk.usableRelocated);
  return Math.max(target.sectors, findFurthestEnd(task, chain) - target.first);
}

/** From the far end towards the target, so that each finds its room free. */
function intentsOf({ target }: Task, chain: Chain, push: Push, relocate: boolean): Intent[] {
  const changes = chain.links.map(({ partition }, i) => ({ partition, to: push.places[i]! }));
  return [
    ...(relocate ? [{ verb: 'relocate-table' } as const] : []),
    ...changes.reverse().flatMap(({ partition, to }): Intent[] => {
      const { number, first, sectors } = partition;
      return [
        ...(to.sectors < sectors
          ? [{ verb: 'shrink', partition: number, to: { first, sectors: to.sectors } } as const]
          : []),
        ...(to.first !== first ? [{ verb: 'move', partition: number, first: to.first } as const] : []),
      ];
    }),
    {
      verb: 'extend',
      partition: target.number,
      to: { first: target.first, sectors: push.targetEnd - target.first },
    },
  ];
}
