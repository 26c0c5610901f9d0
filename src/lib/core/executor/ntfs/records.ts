import { concatBytes, viewOf } from '../../bytes';
import { NoRoom } from '../noRoom';
import { removeUpdateSequence } from '../../volumes/ntfs/updateSequence';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import { NtfsDamage, type NtfsVolume } from '../../volumes/ntfs/volume';
import type { SectorEdits } from '../sectorEdits';

const STRIDE = 512;
const MIRROR_RECORD = 1;

/** An attribute, or a part of one, as a record holds it. */
export interface RecordInUse {
  at: number;
  length: number;
  type: number;
  name: string;
  /** Its number within the record. */
  id: number;
  resident: boolean;
  /** First cluster number of an attribute that is not resident. */
  lowestVcn: number;
}

/** A file record in hand: its bytes as they are meant, without the update sequence. */
export class RecordEdit {
  private constructor(
    private readonly edits: SectorEdits,
    readonly places: { offset: number; length: number }[],
    private bytes: Uint8Array,
  ) {}

  /**
   * @param base byte of the device where the volume begins
   * @throws NtfsDamage
   */
  static async open(
    edits: SectorEdits,
    volume: NtfsVolume,
    base: number,
    number: number,
  ): Promise<RecordEdit> {
    const own = volume.recordPlaces(number).map(({ offset, length }) => ({ offset: base + offset, length }));
    const raw = await readAll(edits, own);
    const bytes = removeUpdateSequence(raw);
    if (!bytes) throw new NtfsDamage(`file record ${number} is damaged`);
    const mirror = await mirrorPlace(volume, number);
    const places = mirror === null ? own : [...own, { offset: base + mirror, length: raw.length }];
    return new RecordEdit(edits, places, bytes);
  }

  /** A record that is new, with its bytes as they are meant. */
  static made(
    edits: SectorEdits,
    places: { offset: number; length: number }[],
    bytes: Uint8Array,
  ): RecordEdit {
    return new RecordEdit(edits, places, bytes);
  }

  /** The same record at other places. */
  at(places: { offset: number; length: number }[]): RecordEdit {
    return new RecordEdit(this.edits, places, this.bytes);
  }

  get sequence(): number {
    return viewOf(this.bytes).getUint16(0x10, true);
  }

  /** Bytes that it still has for attributes. */
  get room(): number {
    const view = viewOf(this.bytes);
    return view.getUint32(0x1c, true) - view.getUint32(0x18, true);
  }

  /** All attributes that it holds, in order. @throws NtfsDamage */
  held(): RecordInUse[] {
    const view = viewOf(this.bytes);
    const out: RecordInUse[] = [];
    for (let at = view.getUint16(0x14, true); view.getUint32(at, true) !== ATTRIBUTE.end;) {
      const length = view.getUint32(at + 4, true);
      if (length < 0x18 || at + length + 4 > this.bytes.length)
        throw new NtfsDamage('a file record is damaged');
      const resident = view.getUint8(at + 8) === 0;
      out.push({
        at,
        length,
        type: view.getUint32(at, true),
        name: nameOf(this.bytes, at),
        id: view.getUint16(at + 0x0e, true),
        resident,
        lowestVcn: resident ? 0 : Number(view.getBigUint64(at + 0x10, true)),
      });
      at += length;
    }
    return out;
  }

  bytesOf({ at, length }: RecordInUse): Uint8Array {
    return this.bytes.slice(at, at + length);
  }

  /** Takes an attribute out. */
  remove(held: RecordInUse): void {
    this.splice(held.at, held.length, new Uint8Array(0));
  }

  /** Puts an attribute in, where its type, name and first cluster belong. @returns its number. @throws NoRoom */
  insert(attribute: Uint8Array): number {
    const all = this.held();
    const view = viewOf(attribute);
    const type = view.getUint32(0, true);
    const name = nameOf(attribute, 0);
    const lowest = view.getUint8(8) === 0 ? 0 : Number(view.getBigUint64(0x10, true));
    const before = (one: RecordInUse) =>
      one.type < type ||
      (one.type === type && (one.name < name || (one.name === name && one.lowestVcn <= lowest)));
    const last = all.findLast(before);
    const mine = attribute.slice();
    const id = viewOf(this.bytes).getUint16(0x28, true);
    viewOf(mine).setUint16(0x0e, id, true);
    this.splice(last ? last.at + last.length : viewOf(this.bytes).getUint16(0x14, true), 0, mine);
    viewOf(this.bytes).setUint16(0x28, id + 1, true);
    return id;
  }

  /** The attribute of a type and name that the record itself holds. @throws NtfsDamage where it holds none */
  attribute(type: number, name = ''): Uint8Array {
    return this.bytesOf(this.find(type, name));
  }

  has(type: number): boolean {
    return this.held().some((one) => one.type === type);
  }

  /** Puts another attribute in the place of one. @throws NoRoom where the record can't hold it */
  replace(type: number, name: string, attribute: Uint8Array): void {
    this.exchange(this.find(type, name), attribute);
  }

  /** The same for one of several parts. @throws NoRoom */
  exchange({ at, length }: Pick<RecordInUse, 'at' | 'length'>, attribute: Uint8Array): void {
    this.splice(at, length, attribute);
  }

  private splice(at: number, old: number, attribute: Uint8Array): void {
    const view = viewOf(this.bytes);
    const used = view.getUint32(0x18, true);
    const grown = used + attribute.length - old;
    if (grown > view.getUint32(0x1c, true)) throw new NoRoom('record');
    const out = this.bytes.slice();
    out.set(attribute, at);
    out.set(this.bytes.subarray(at + old, used), at + attribute.length);
    if (grown < used) out.fill(0, grown, used);
    viewOf(out).setUint32(0x18, grown, true);
    this.bytes = out;
  }

  /**
   * Hands the record over to the edits, with its update sequence, and its copy in `$MFTMirr` where it has one.
   *
   * @param put whatever stands in its place by then: an operation before changes that
   */
  async save(put = false): Promise<void> {
    const raw = applyUpdateSequence(this.bytes);
    let at = 0;
    for (const { offset, length } of this.places) {
      const from = at % raw.length;
      const piece = raw.subarray(from, from + length);
      await (put ? this.edits.put(offset, piece) : this.edits.write(offset, piece));
      at += length;
    }
  }

  private find(type: number, name: string): RecordInUse {
    const found = this.held().find((one) => one.type === type && one.name === name);
    if (!found) throw new NtfsDamage(`a file record lacks attribute 0x${type.toString(16)}`);
    return found;
  }
}

function nameOf(bytes: Uint8Array, at: number): string {
  const view = viewOf(bytes);
  const start = at + view.getUint16(at + 0x0a, true);
  let name = '';
  for (let i = 0; i < view.getUint8(at + 9); i++)
    name += String.fromCharCode(view.getUint16(start + 2 * i, true));
  return name;
}

async function readAll(
  edits: SectorEdits,
  places: readonly { offset: number; length: number }[],
): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for (const { offset, length } of places) parts.push(await edits.read(offset, length));
  return concatBytes(parts);
}

/** Offset of `$MFTMirr`'s copy of a record, in bytes of the volume; null: it keeps none (domain facts 4). */
async function mirrorPlace(volume: NtfsVolume, number: number): Promise<number | null> {
  const { recordSize, clusterSize } = volume.boot;
  if ((number + 1) * recordSize > Math.max(4 * recordSize, clusterSize)) return null;
  const stream = await volume.stream(MIRROR_RECORD, ATTRIBUTE.data);
  if (!('runs' in stream.content) || (number + 1) * recordSize > stream.size) return null;
  const at = number * recordSize;
  const run = stream.content.runs.find(
    ({ vcn, clusters }) => at >= vcn * clusterSize && at < (vcn + clusters) * clusterSize,
  );
  if (!run || run.lcn === null) throw new NtfsDamage('the $MFTMirr is damaged');
  return run.lcn * clusterSize + at - run.vcn * clusterSize;
}

/** The structure as it is written: the last two bytes of each 512 carry a number that is one higher than before. */
export function applyUpdateSequence(structure: Uint8Array): Uint8Array {
  const out = structure.slice();
  const view = viewOf(out);
  const arrayAt = view.getUint16(4, true);
  const next = (view.getUint16(arrayAt, true) + 1) & 0xffff || 1;
  view.setUint16(arrayAt, next, true);
  for (let stride = 1; stride <= structure.length / STRIDE; stride++) {
    const tail = stride * STRIDE - 2;
    view.setUint16(arrayAt + 2 * stride, view.getUint16(tail, true), true);
    view.setUint16(tail, next, true);
  }
  return out;
}

/** Offset of the first attribute of a record. */
export const attributesAt = (recordSize: number): number =>
  Math.ceil((0x30 + 2 * (recordSize / STRIDE + 1)) / 8) * 8;

/** A record that is in use and holds nothing, as it is meant, without the update sequence (domain facts 4). */
export function makeEmptyRecord(
  recordSize: number,
  { number, sequence }: { number: number; sequence: number },
): Uint8Array {
  const bytes = new Uint8Array(recordSize);
  const view = viewOf(bytes);
  const at = attributesAt(recordSize);
  bytes.set([0x46, 0x49, 0x4c, 0x45]); // FILE
  view.setUint16(4, 0x30, true);
  view.setUint16(6, recordSize / STRIDE + 1, true);
  view.setUint16(0x10, sequence, true);
  view.setUint16(0x14, at, true);
  view.setUint16(0x16, 1, true);
  view.setUint32(0x18, at + 8, true);
  view.setUint32(0x1c, recordSize, true);
  view.setUint32(0x2c, number, true);
  view.setUint32(at, ATTRIBUTE.end, true);
  return bytes;
}
