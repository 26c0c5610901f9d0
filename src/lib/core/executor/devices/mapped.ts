import { ReadBeyondEnd } from '../../images/source';
import { checkRange, isZero, joined, type Device, type Stretch } from './device';

/**
 * A disk of which each unit (block, cluster, grain) lies somewhere in a file, or nowhere and reads as zeros. A unit
 * takes room once something is written into it, and gives it back when all of it becomes zeros. The format says where
 * units lie and keeps its tables; the order is the same for all: what a new unit holds is safe before a table leads to
 * it, and a place that was given back is used again only once no table leads to it any more.
 */
export abstract class MappedDevice implements Device {
  /** Places that nothing leads to, by their first byte. */
  private readonly free: number[] = [];
  private readonly freed: number[] = [];
  private changed = false;

  protected constructor(
    protected readonly file: Device,
    public size: number,
    readonly sectorSize: number,
    protected readonly unit: number,
  ) {}

  /** Byte of the file where a unit lies; null: nowhere. */
  protected abstract placeOf(unit: number): Promise<number | null>;
  /** The tables lead to another place from the next {@link writeTables} on. */
  protected abstract setPlace(unit: number, place: number | null): Promise<void>;
  /** A place for a unit, at the end of the file; it reads as zeros. */
  protected abstract newPlace(): Promise<number>;
  /** Counts of the tables' places, which have to be safe before the tables change. */
  protected abstract beforeTables(): Promise<void>;
  protected abstract writeTables(): Promise<void>;
  /** Counts of places that were given back; after a cut before this write they stay in use without an owner. */
  protected afterTables(): Promise<void> {
    return Promise.resolve();
  }
  /** Something is written for the first time since it was opened. */
  protected abstract firstWrite(): Promise<void>;
  /** No table leads to a place any more. @returns whether it may be used again */
  protected released(place: number): boolean {
    return place > 0;
  }
  /** The bytes of a unit that lies nowhere and still holds something (compressed); null: zeros. */
  protected packed?(unit: number): Promise<Uint8Array | null>;
  protected abstract setSize(size: number): Promise<void>;

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (!Number.isSafeInteger(offset + length) || offset < 0 || length < 0 || offset + length > this.size)
      throw new ReadBeyondEnd(offset, length, this.size);
    const out = new Uint8Array(length);
    let run = { from: 0, at: 0, length: 0 };
    for (const { unit, from, at, take } of this.pieces(offset, length)) {
      const place = await this.placeOf(unit);
      if (place === null) {
        const bytes = await this.held(unit);
        if (bytes) out.set(bytes.subarray(from, from + take), at);
        continue;
      }
      // Units that follow each other in the file as well are read at once.
      if (run.length > 0 && run.from + run.length === place + from && run.at + run.length === at)
        run.length += take;
      else {
        await this.readRun(run, out);
        run = { from: place + from, at, length: take };
      }
    }
    await this.readRun(run, out);
    return out;
  }

  /** A file is read in whole sectors; what is asked for may begin within one. */
  private async readRun(run: { from: number; at: number; length: number }, out: Uint8Array): Promise<void> {
    if (run.length === 0) return;
    const sector = this.file.sectorSize;
    const first = Math.floor(run.from / sector) * sector;
    const end = Math.ceil((run.from + run.length) / sector) * sector;
    const bytes = await this.file.read(first, end - first);
    out.set(bytes.subarray(run.from - first, run.from - first + run.length), run.at);
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    checkRange(this, offset, bytes.length);
    await this.begun();
    for (const { unit, from, at, take } of this.pieces(offset, bytes.length)) {
      const piece = bytes.subarray(at, at + take);
      const place = await this.placeOf(unit);
      if (place !== null) {
        await this.file.write(place + from, piece);
        continue;
      }
      const held = await this.held(unit);
      if (!held && isZero(piece)) continue;
      await this.put(unit, from, piece, held);
    }
  }

  async zero(offset: number, length: number): Promise<void> {
    checkRange(this, offset, length);
    await this.begun();
    for (const { unit, from, take } of this.pieces(offset, length)) {
      const place = await this.placeOf(unit);
      const whole = take === this.unit || (from === 0 && unit * this.unit + take === this.size);
      if (whole) {
        if (place !== null || (await this.held(unit))) await this.setPlace(unit, null);
        if (place !== null) this.freed.push(place);
      } else if (place !== null) await this.file.zero(place + from, take);
      else {
        const held = await this.held(unit);
        if (held) await this.put(unit, from, new Uint8Array(take), held);
      }
    }
  }

  async flush(): Promise<void> {
    if (!this.changed) return this.file.flush();
    await this.beforeTables();
    await this.file.flush();
    await this.writeTables();
    await this.file.flush();
    for (const place of this.freed.splice(0)) if (this.released(place)) this.free.push(place);
    await this.afterTables();
  }

  async stretches(offset: number, length: number): Promise<Stretch[]> {
    checkRange(this, offset, length);
    const found: Stretch[] = [];
    for (const { unit, from, take } of this.pieces(offset, length)) {
      if ((await this.placeOf(unit)) === null && !(await this.held(unit))) continue;
      found.push({ offset: unit * this.unit + from, length: take });
    }
    return joined(found);
  }

  async resize(size: number): Promise<void> {
    await this.begun();
    if (size < this.size) await this.zero(size, this.size - size);
    await this.flush();
    await this.setSize(size);
    this.size = size;
    await this.file.flush();
  }

  /** Mark that nothing is left to be written. */
  async close(): Promise<void> {
    await this.flush();
  }

  private async held(unit: number): Promise<Uint8Array | null> {
    return (await this.packed?.(unit)) ?? null;
  }

  private async begun(): Promise<void> {
    if (!this.changed) await this.firstWrite();
    this.changed = true;
  }

  private async put(unit: number, from: number, piece: Uint8Array, held: Uint8Array | null): Promise<void> {
    const again = this.free.pop();
    const place = again ?? (await this.newPlace());
    if (held) {
      const whole = held.slice();
      whole.set(piece, from);
      await this.file.write(place, whole);
    } else {
      // A place that was used before holds what it held then.
      if (again !== undefined && piece.length < this.unit) await this.file.zero(place, this.unit);
      await this.file.write(place + from, piece);
    }
    await this.setPlace(unit, place);
  }

  protected *pieces(
    offset: number,
    length: number,
  ): Generator<{ unit: number; from: number; at: number; take: number }> {
    for (let at = 0; at < length;) {
      const unit = Math.floor((offset + at) / this.unit);
      const from = offset + at - unit * this.unit;
      const take = Math.min(this.unit - from, length - at);
      yield { unit, from, at, take };
      at += take;
    }
  }
}
