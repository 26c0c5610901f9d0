import { isAll, isZero } from '../devices/device';
import { NoRoom } from '../noRoom';

/** Clusters of a page; a page is 4 KiB. */
const PER_PAGE = 32_768;
const PAGE_BYTES = PER_PAGE / 8;
const FULL = new Uint8Array(PAGE_BYTES).fill(0xff);
/** Pages that are neither empty nor full, at most: 192 MiB of them. */
const MAX_PAGES = 49_152;

/** A set of clusters. What is empty or full takes no room, so that of a large volume it stays small. */
export class ClusterSet {
  private readonly pages: (Uint8Array | null)[];
  private own = 0;

  constructor(readonly clusters: number) {
    this.pages = new Array<Uint8Array | null>(Math.ceil(clusters / PER_PAGE)).fill(null);
  }

  /** Takes in a piece of a map of clusters, from a cluster at which a byte begins. */
  addBytes(bytes: Uint8Array, first: number): void {
    for (let at = 0; at < bytes.length;) {
      const cluster = first + 8 * at;
      if (cluster >= this.clusters) return;
      const inPage = (cluster % PER_PAGE) / 8;
      const take = Math.min(PAGE_BYTES - inPage, bytes.length - at);
      const piece = bytes.subarray(at, at + take);
      at += take;
      if (isAll(piece, 0xff)) this.add(cluster, 8 * take);
      else if (!isZero(piece)) this.page(cluster).set(piece, inPage);
    }
  }

  /** @returns whether none of them was in it before */
  add(first: number, count: number): boolean {
    let fresh = true;
    this.walk(first, count, (index, from, to) => {
      const page = this.pages[index] ?? null;
      if (page === null && from === 0 && to === PER_PAGE) {
        this.pages[index] = FULL;
        return;
      }
      if (page === FULL) {
        fresh = false;
        return;
      }
      fresh = bits(this.page(index * PER_PAGE), from, to, 'set') && fresh;
    });
    return fresh;
  }

  /** Whether all of them are in it. */
  has(first: number, count: number): boolean {
    let all = true;
    this.walk(first, count, (index, from, to) => {
      const page = this.pages[index];
      if (page !== FULL) all = page != null && bits(page, from, to, 'all') && all;
    });
    return all;
  }

  /** The first cluster from one on that is in this one and not in another, or null. */
  firstNotIn(other: ClusterSet, from: number): number | null {
    for (const [index, page] of this.pages.entries()) {
      const theirs = other.pages[index] ?? null;
      if (page === null || page === theirs || theirs === FULL || (index + 1) * PER_PAGE <= from) continue;
      for (let i = 0; i < PAGE_BYTES; i++) {
        const base = index * PER_PAGE + 8 * i;
        const before = from > base ? 0xff >> (8 - Math.min(8, from - base)) : 0;
        const left = page[i]! & ~(theirs?.[i] ?? 0) & ~before;
        const cluster = base + (31 - Math.clz32(left & -left));
        if (left !== 0 && cluster < this.clusters) return cluster;
      }
    }
    return null;
  }

  /** Number of the clusters from one on, before another, that are in it. */
  count(from: number, to: number): number {
    let sum = 0;
    this.walk(from, to - from, (index, first, end) => {
      const page = this.pages[index];
      if (page === FULL) sum += end - first;
      else if (page) for (let i = first; i < end; i++) sum += (page[i >> 3]! >> (i & 7)) & 1;
    });
    return sum;
  }

  /** The runs of clusters before `end` that are not in it, in order. */
  *gaps(end: number): Generator<{ first: number; count: number }> {
    let first: number | null = null;
    const close = function* (at: number) {
      if (first !== null && at > first) yield { first, count: at - first };
      first = null;
    };
    for (let index = 0; index * PER_PAGE < end; index++) {
      const page = this.pages[index] ?? null;
      const base = index * PER_PAGE;
      if (page === null) first ??= base;
      else if (page === FULL) yield* close(base);
      else
        for (let i = 0; i < PER_PAGE && base + i < end; i++) {
          if ((i & 7) === 0 && page[i >> 3] === 0xff) {
            yield* close(base + i);
            i += 7;
          } else if ((page[i >> 3]! >> (i & 7)) & 1) yield* close(base + i);
          else first ??= base + i;
        }
    }
    yield* close(end);
  }

  private page(cluster: number): Uint8Array {
    const index = Math.floor(cluster / PER_PAGE);
    const found = this.pages[index];
    if (found && found !== FULL) return found;
    if (++this.own > MAX_PAGES) throw new NoRoom('memory');
    return (this.pages[index] = found ? found.slice() : new Uint8Array(PAGE_BYTES));
  }

  private walk(first: number, count: number, each: (page: number, from: number, to: number) => void): void {
    const end = Math.min(first + count, this.pages.length * PER_PAGE);
    for (let at = first; at < end;) {
      const index = Math.floor(at / PER_PAGE);
      const to = Math.min(end - index * PER_PAGE, PER_PAGE);
      each(index, at - index * PER_PAGE, to);
      at = index * PER_PAGE + to;
    }
  }
}

/** Sets bits of a page and says whether none was set before, or says whether all are set. */
function bits(page: Uint8Array, from: number, to: number, what: 'set' | 'all'): boolean {
  let holds = true;
  for (let at = from; at < to;) {
    const whole = (at & 7) === 0 && at + 8 <= to;
    const mask = whole ? 0xff : 1 << (at & 7);
    const byte = page[at >> 3]! & mask;
    if (what === 'all') holds &&= byte === mask;
    else {
      holds &&= byte === 0;
      page[at >> 3]! |= mask;
    }
    at += whole ? 8 : 1;
  }
  return holds;
}
