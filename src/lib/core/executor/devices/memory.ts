import { ReadBeyondEnd } from '../../images/source';
import { checkRange, joined, type Device, type Stretch } from './device';

/** Bytes of a page. */
export const PAGE = 16 * 1024;

/**
 * A disk in memory that holds only pages that were written. A copy shares its pages until one of the two writes to
 * them.
 */
export class MemoryDevice implements Device {
  private pages = new Map<number, Uint8Array>();
  /** Pages that no copy shares. */
  private own = new Set<number>();

  /** @param size bytes, a whole number of sectors */
  constructor(
    public size: number,
    readonly sectorSize = 512,
  ) {}

  copy(): MemoryDevice {
    const twin = new MemoryDevice(this.size, this.sectorSize);
    twin.pages = new Map(this.pages);
    this.own.clear();
    return twin;
  }

  /** Bytes of the pages that it holds. */
  get held(): number {
    return this.pages.size * PAGE;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const whole = Number.isSafeInteger(offset) && Number.isSafeInteger(length);
    if (!whole || offset < 0 || length < 0 || offset + length > this.size)
      throw new ReadBeyondEnd(offset, length, this.size);
    const out = new Uint8Array(length);
    for (const { page, from, at, take } of pieces(offset, length)) {
      const held = this.pages.get(page);
      if (held) out.set(held.subarray(from, from + take), at);
    }
    return out;
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    checkRange(this, offset, bytes.length);
    for (const { page, from, at, take } of pieces(offset, bytes.length)) {
      this.writable(page).set(bytes.subarray(at, at + take), from);
    }
  }

  async zero(offset: number, length: number): Promise<void> {
    checkRange(this, offset, length);
    const [first, end] = [Math.floor(offset / PAGE), Math.ceil((offset + length) / PAGE)];
    // Of a large stretch only what is held is looked at.
    const touched =
      end - first > this.pages.size
        ? [...this.pages.keys()].filter((page) => page >= first && page < end)
        : Array.from({ length: end - first }, (_, i) => first + i).filter((page) => this.pages.has(page));
    for (const page of touched) {
      const from = Math.max(0, offset - page * PAGE);
      const to = Math.min(PAGE, offset + length - page * PAGE);
      if (to - from === PAGE) {
        this.pages.delete(page);
        this.own.delete(page);
      } else this.writable(page).fill(0, from, to);
    }
  }

  async flush(): Promise<void> {}

  async stretches(offset: number, length: number): Promise<Stretch[]> {
    checkRange(this, offset, length);
    const [first, end] = [Math.floor(offset / PAGE), Math.ceil((offset + length) / PAGE)];
    const touched = [...this.pages.keys()]
      .filter((page) => page >= first && page < end)
      .sort((a, b) => a - b);
    return joined(
      touched.map((page) => {
        const from = Math.max(offset, page * PAGE);
        return { offset: from, length: Math.min(offset + length, (page + 1) * PAGE) - from };
      }),
    );
  }

  async resize(size: number): Promise<void> {
    if (size < this.size) await this.zero(size, this.size - size);
    this.size = size;
  }

  /**
   * The bytes of a page as they are held, not to be changed; null: it holds nothing. Copies share what neither wrote
   * to.
   */
  pageAt(page: number): Uint8Array | null {
    return this.pages.get(page) ?? null;
  }

  private writable(page: number): Uint8Array {
    const held = this.pages.get(page);
    if (held && this.own.has(page)) return held;
    const mine = held ? held.slice() : new Uint8Array(PAGE);
    this.pages.set(page, mine);
    this.own.add(page);
    return mine;
  }
}

function* pieces(
  offset: number,
  length: number,
): Generator<{ page: number; from: number; at: number; take: number }> {
  for (let at = 0; at < length;) {
    const page = Math.floor((offset + at) / PAGE);
    const from = offset + at - page * PAGE;
    const take = Math.min(PAGE - from, length - at);
    yield { page, from, at, take };
    at += take;
  }
}
