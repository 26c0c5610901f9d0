import { bytesOf, sameExtent, type Extent } from '../disk';
import { chainBehind, type Chain } from './chain';
import { exposedBytes } from './costs';
import { donorBound } from './floors';
import { cheapestPush, furthestEnd, type Push } from './orderKeeping';
import type { Task } from './request';
import { bootRepair, type Choice } from './search/materialize';
import { canExtend, canMove, canShrink, movesAtRestart, type Kit, type Tool } from './tools';

/** Ways that only push aside what stands behind the target, one by one: found on a disk of any size. */
export function pushesFor(task: Task, kit: Kit, size: number): Choice[][] {
  const { disk, target } = task;
  if (target.kind !== 'primary') return [];
  const targetEnd = target.first + size / disk.sectorSize;
  const enlarged = !sameExtent(disk.usable, disk.usableRelocated);
  return (enlarged ? [false, true] : [false]).flatMap((relocate) => {
    const chain = chainBehind(task, kit, relocate ? disk.usableRelocated : disk.usable);
    const push = cheapestPush(task, chain, targetEnd);
    return push ? [choicesOf(task, kit, chain, push, relocate)] : [];
  });
}

/** The most sectors that the target can get by pushing alone. */
export function largestByPushing(task: Task, kit: Kit): number {
  const { disk, target } = task;
  if (target.kind !== 'primary') return target.sectors;
  const chain = chainBehind(task, kit, disk.usableRelocated);
  return Math.max(target.sectors, furthestEnd(task, chain) - target.first);
}

/** From the far end towards the target, so that each finds its room free. */
function choicesOf(task: Task, kit: Kit, chain: Chain, push: Push, relocate: boolean): Choice[] {
  const { disk, target } = task;
  const set = (can: (tool: Tool) => boolean) =>
    kit.tools.reduce((tools, tool, i) => (can(tool) ? tools | (1 << i) : tools), 0);
  const choices: Choice[] = [];
  if (relocate) {
    const whole = { partition: null, id: null, from: null, to: null, bytesCopied: 0, exposedBytes: 0 };
    choices.push({ step: { ...whole, verb: 'relocate-table' }, tools: set(() => true), waiting: 0 });
  }
  const changes = chain.links
    .map((link, i) => ({ link, from: placeOf(link.partition), to: push.places[i]! }))
    .filter(({ from, to }) => !sameExtent(from, to));
  for (const { link, from, to } of changes.reverse()) {
    const { partition } = link;
    const who = { partition: partition.number, id: partition.id };
    const smaller = { first: from.first, sectors: to.sectors };
    if (to.sectors < from.sectors) {
      const bytes = bytesOf(disk, to);
      const can = (tool: Tool) =>
        canShrink(tool, partition) &&
        (donorBound(disk, partition, task.keepFree, tool.floor) ?? Infinity) <= bytes;
      choices.push({
        step: {
          ...who,
          verb: 'shrink',
          from,
          to: smaller,
          bytesCopied: link.shrinkBytes(bytes),
          exposedBytes: 0,
        },
        tools: set(can),
        waiting: 0,
      });
    }
    if (to.first === from.first) continue;
    const repair = bootRepair({ disk }, partition);
    choices.push({
      step: {
        ...who,
        verb: 'move',
        from: smaller,
        to,
        bytesCopied: link.moveBytes,
        exposedBytes: exposedBytes(smaller, to, link.moveBytes),
        ...(repair ? { repair } : {}),
      },
      tools: set((tool) => canMove(tool, partition)),
      waiting: set((tool) => movesAtRestart(tool, partition)),
    });
  }
  const grown = { first: target.first, sectors: push.targetEnd - target.first };
  choices.push({
    step: {
      partition: target.number,
      id: target.id,
      verb: 'extend',
      from: placeOf(target),
      to: grown,
      bytesCopied: 0,
      exposedBytes: 0,
    },
    tools: set((tool) => canExtend(tool, target)),
    waiting: 0,
  });
  return choices;
}

const placeOf = ({ first, sectors }: Extent): Extent => ({ first, sectors });
