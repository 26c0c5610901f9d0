import { findBendsOfUse } from '../tools';
import type { Task } from './task';
import { alignment, bytesOf, type Disk, type Extent } from '../disk';
import { MIB, roundDown, roundUp } from '../units';
import type { Chain, Link } from './chain';
import { findCheapestShares, type Giver } from './shares';

/** Place of each partition of the chain, the target's new end, and what it copies. Order is kept. */
export interface Push {
  targetEnd: number;
  /** New place of every link, in order; unchanged where it needs no change. */
  places: Extent[];
  bytesCopied: number;
}

/**
 * The way to let the target end at `targetEnd` that copies the fewest bytes, keeping the partitions' order.
 *
 * Why this is the cheapest. Only partitions in the way are pushed, and those are always the first k behind
 * the target: one that stays lets all behind it stay. A pushed partition costs the same for any distance, so
 * each goes no further than it must, to the next aligned start. What is left to choose is k and who shrinks
 * by how much; every k is tried, and {@link findCheapestShares} settles the amounts. Shrinking a partition
 * beyond the first k frees room that nobody takes, so it never pays.
 *
 * @param targetEnd LBA right behind the target's new end
 * @returns null where the chain has less room than that
 */
export function findCheapestPush(task: Task, chain: Chain, targetEnd: number): Push | null {
  const slot = alignment(task.disk);
  let best: Push | null = null;
  let moved = 0;
  for (let pushed = 0; pushed <= chain.links.length; pushed++) {
    if (pushed > 0) moved += chain.links[pushed - 1]!.moveBytes;
    if (best && moved >= best.bytesCopied) break; // more pushes only add to the bytes
    const sizes = cheapestSizes(chain, pushed, targetEnd, slot);
    const push = sizes && place(task.disk, chain, sizes, targetEnd);
    if (push && (!best || push.bytesCopied < best.bytesCopied)) best = push;
  }
  return best;
}

/** The last sector's end that the target can have by any push, or its present end where nothing gives. */
export function findFurthestEnd(task: Task, chain: Chain): number {
  const slot = alignment(task.disk);
  let furthest = chain.links[0]?.partition.first ?? chain.limit;
  for (let pushed = 1; pushed <= chain.links.length; pushed++) {
    let end = limitBehind(chain, pushed);
    for (let i = pushed - 1; i >= 0; i--) end = roundDown(end - chain.links[i]!.least, slot);
    furthest = Math.max(furthest, end);
  }
  return furthest;
}

/** First sector that a push of the first `pushed` links must not touch. */
const limitBehind = (chain: Chain, pushed: number): number =>
  chain.links[pushed]?.partition.first ?? chain.limit;

/** Sizes in sectors of all links when the first `pushed` may shrink, cheapest first; null: not enough room. */
function cheapestSizes(chain: Chain, pushed: number, targetEnd: number, slot: number): number[] | null {
  const sizes = chain.links.map((link) => link.sectors);
  const front = chain.links.slice(0, pushed);
  const limit = limitBehind(chain, pushed);
  const slotsOf = (link: Link) => Math.ceil(link.sectors / slot);
  const start = Math.ceil(targetEnd / slot);

  // The last pushed partition need not end on a boundary as long as it keeps its size; once it is shrunk it
  // ends on one. Both cases are looked at: with its size as it is, and with it as a donor.
  const last = front.at(-1);
  const beforeLast = front.slice(0, -1);
  const ahead = start + beforeLast.reduce((sum, link) => sum + slotsOf(link), 0);
  const needKept = last
    ? Math.ceil((ahead * slot + last.sectors - limit) / slot)
    : targetEnd > limit
      ? Infinity
      : 0;
  if (!last) return needKept === 0 ? sizes : null;
  const kept = findCheapestShares(
    beforeLast.map((link) => giverOf(link, slot)),
    needKept,
  );
  const needShrunk = ahead + slotsOf(last) - Math.floor(limit / slot);
  const shrunk = findCheapestShares(
    front.map((link) => giverOf(link, slot)),
    needShrunk,
  );

  const chosen = !kept ? shrunk : !shrunk || kept.bytes <= shrunk.bytes ? kept : shrunk;
  if (!chosen) return null;
  chosen.amounts.forEach((amount, i) => {
    if (amount > 0) sizes[i] = (slotsOf(front[i]!) - amount) * slot;
  });
  return sizes;
}

function giverOf(link: Link, slot: number): Giver {
  const slots = Math.ceil(link.sectors / slot);
  const { volume } = link.partition;
  const most = Math.max(0, slots - Math.ceil(link.least / slot));
  const bends = volume && most > 0 ? findBendsOfUse(volume, (slots - most) * MIB) : [];
  return {
    most,
    cost: (amount) => (amount === 0 ? 0 : link.shrinkBytes((slots - amount) * MIB)),
    corners: [
      { slots: 0, bytes: 0 },
      ...bends.map(({ x, bytes }) => ({ slots: slots - x / MIB, bytes })),
      ...(bends.length === 0 ? [{ slots: most, bytes: 0 }] : []),
    ],
    grain: Math.max(1, volume?.clusterSize ?? 1),
  };
}

/** Pushes from the target outwards: what is in the way goes to the next aligned start, the rest stays. */
function place(disk: Disk, chain: Chain, sizes: readonly number[], targetEnd: number): Push | null {
  const slot = alignment(disk);
  let at = targetEnd;
  let bytesCopied = 0;
  const places = chain.links.map((link, i): Extent => {
    const sectors = sizes[i]!;
    const stays = at <= link.partition.first;
    const first = stays ? link.partition.first : roundUp(at, slot);
    if (!stays) bytesCopied += link.moveBytes;
    if (sectors < link.partition.sectors) bytesCopied += link.shrinkBytes(bytesOf(disk, { first, sectors }));
    at = first + sectors;
    return { first, sectors };
  });
  return at <= chain.limit ? { targetEnd, places, bytesCopied } : null;
}
