import type { HistoryEntry } from '$contract/jobs';
import { createHash } from 'node:crypto';
import { sealed } from './workshopKey';

/** Head of a chain, apart from its entries, so that cut ones are missed. */
export interface ChainHead {
  count: number | null;
  seal: string | null;
}

export const FIRST = '0'.repeat(64);

/** Seal of an entry: any change, omission or insertion breaks the chain from there on. */
export const sealOf = (
  chain: string,
  before: string,
  { at, who, what, kind }: Omit<HistoryEntry, 'seal'>,
): string =>
  kind === 'plain'
    ? createHash('sha256')
        .update(JSON.stringify([before, at, who, what]))
        .digest('hex')
    : sealed('entry', chain, before, at, who, what, kind);

/** Seal of a chain's head. */
export const makeHeadSeal = (chain: string, count: number, last: string): string =>
  sealed('head', chain, count, last);

/** Fault of a chain. */
export interface Breach {
  /** Place of the first entry that is not as it was written, counted from 0; null: all that are there are. */
  at: number | null;
  /** Number of entries that the head counts, where that is another than there are. */
  counted: number | null;
}

/** Holds a chain against its seals and its head; null: it is whole. */
export function findBreach(
  chain: string,
  entries: readonly HistoryEntry[],
  { count, seal }: ChainHead,
): Breach | null {
  let before = FIRST;
  for (const [i, entry] of entries.entries()) {
    if (entry.seal !== sealOf(chain, before, entry)) return { at: i, counted: null };
    before = entry.seal;
  }
  if (count !== entries.length) return { at: null, counted: count ?? 0 };
  return seal === makeHeadSeal(chain, count, before) ? null : { at: null, counted: count };
}

/**
 * The head once an entry came: only a head that was right goes on. One that was not stays wrong, or a history that was
 * cut would be whole again with the next thing that is done.
 */
export function makeNextHead(
  chain: string,
  head: ChainHead,
  before: string,
  seal: string,
): Required<ChainHead> {
  const count = head.count ?? 0;
  const right =
    head.seal === null ? count === 0 && before === FIRST : head.seal === makeHeadSeal(chain, count, before);
  return { count: count + 1, seal: right ? makeHeadSeal(chain, count + 1, seal) : (head.seal ?? '') };
}
