import { concat, viewOf } from '../../bytes';
import { undoFixup } from '../../volumes/ntfs/fixup';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import type { Run } from '../../volumes/ntfs/runs';
import { NtfsDamage, type NtfsVolume } from '../../volumes/ntfs/volume';
import type { Draft } from '../draft';

const STRIDE = 512;
const MIRROR_RECORD = 1;

/** A file record in hand: its bytes as they are meant, without the fix-up. */
export class RecordEdit {
  private constructor(
    private readonly draft: Draft,
    private readonly places: readonly { offset: number; length: number }[],
    private bytes: Uint8Array,
  ) {}

  /**
   * @param base byte of the disk where the volume begins
   * @throws NtfsDamage
   */
  static async open(draft: Draft, volume: NtfsVolume, base: number, number: number): Promise<RecordEdit> {
    const own = volume.recordPlaces(number).map(({ offset, length }) => ({ offset: base + offset, length }));
    const raw = await readAll(draft, own);
    const bytes = undoFixup(raw);
    if (!bytes) throw new NtfsDamage(`file record ${number} is damaged`);
    const mirror = await mirrorPlace(volume, number);
    const places = mirror === null ? own : [...own, { offset: base + mirror, length: raw.length }];
    return new RecordEdit(draft, places, bytes);
  }

  /** The attribute of a type and name that the record itself holds. @throws NtfsDamage where it holds none */
  attribute(type: number, name = ''): Uint8Array {
    const at = this.find(type, name);
    return this.bytes.subarray(at, at + viewOf(this.bytes).getUint32(at + 4, true));
  }

  has(type: number): boolean {
    return this.locate(type, '') !== null;
  }

  /** Puts another attribute in the place of one. @throws NoRoom where the record can't hold it */
  replace(type: number, name: string, attribute: Uint8Array): void {
    const at = this.find(type, name);
    const view = viewOf(this.bytes);
    const old = view.getUint32(at + 4, true);
    const used = view.getUint32(0x18, true);
    const grown = used + attribute.length - old;
    if (grown > view.getUint32(0x1c, true)) throw new NoRoom();
    const out = this.bytes.slice();
    out.set(attribute, at);
    out.set(this.bytes.subarray(at + old, used), at + attribute.length);
    if (grown < used) out.fill(0, grown, used);
    viewOf(out).setUint32(0x18, grown, true);
    this.bytes = out;
  }

  /** Hands the record over to the draft, with its fix-up, and its copy in `$MFTMirr` where it has one. */
  async save(): Promise<void> {
    const raw = applyFixup(this.bytes);
    let at = 0;
    for (const { offset, length } of this.places) {
      const from = at % raw.length;
      await this.draft.write(offset, raw.subarray(from, from + length));
      at += length;
    }
  }

  private find(type: number, name: string): number {
    const at = this.locate(type, name);
    if (at === null) throw new NtfsDamage(`a file record lacks attribute 0x${type.toString(16)}`);
    return at;
  }

  private locate(type: number, name: string): number | null {
    const view = viewOf(this.bytes);
    for (let at = view.getUint16(0x14, true); view.getUint32(at, true) !== ATTRIBUTE.end;) {
      const length = view.getUint32(at + 4, true);
      if (view.getUint32(at, true) === type && nameOf(this.bytes, at) === name) return at;
      at += length;
      if (length < 0x18 || at + 4 > this.bytes.length) throw new NtfsDamage('a file record is damaged');
    }
    return null;
  }
}

/** A record has no room for what it should hold: it would need a second one. */
export class NoRoom extends Error {}

function nameOf(bytes: Uint8Array, at: number): string {
  const view = viewOf(bytes);
  const start = at + view.getUint16(at + 0x0a, true);
  let name = '';
  for (let i = 0; i < view.getUint8(at + 9); i++)
    name += String.fromCharCode(view.getUint16(start + 2 * i, true));
  return name;
}

async function readAll(
  draft: Draft,
  places: readonly { offset: number; length: number }[],
): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for (const { offset, length } of places) parts.push(await draft.read(offset, length));
  return concat(parts);
}

/** Where `$MFTMirr` keeps its copy of a record, in bytes of the volume; null: it keeps none (domain facts 4). */
async function mirrorPlace(volume: NtfsVolume, number: number): Promise<number | null> {
  const { recordSize, clusterSize } = volume.boot;
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
export function applyFixup(structure: Uint8Array): Uint8Array {
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

/** Mapping pairs of runs in order (domain facts 4: signed, as short as they go, a zero byte at the end). */
export function encodeRuns(runs: readonly Run[]): Uint8Array {
  const out: number[] = [];
  let last = 0;
  for (const { lcn, clusters } of runs) {
    const length = signedBytes(clusters);
    const offset = lcn === null ? [] : signedBytes(lcn - last);
    out.push(length.length | (offset.length << 4), ...length, ...offset);
    if (lcn !== null) last = lcn;
  }
  out.push(0);
  return Uint8Array.from(out);
}

function signedBytes(value: number): number[] {
  const out: number[] = [];
  let rest = BigInt(value);
  do {
    out.push(Number(rest & 0xffn));
    rest >>= 8n;
    // Done once what is left is only the sign, and the sign is right.
  } while (!(rest === 0n && out.at(-1)! < 0x80) && !(rest === -1n && out.at(-1)! >= 0x80));
  return out;
}

/** Sizes of a stream in clusters, as its attribute gives them. Bytes. */
export interface StreamSizes {
  allocated: number;
  data: number;
  initialised: number;
}

/** A non-resident attribute with other runs and sizes; the rest of it stays. */
export function withRuns(attribute: Uint8Array, runs: readonly Run[], sizes: StreamSizes): Uint8Array {
  const old = viewOf(attribute);
  const pairs = encodeRuns(runs);
  const pairsAt = old.getUint16(0x20, true);
  const out = new Uint8Array(Math.ceil((pairsAt + pairs.length) / 8) * 8);
  out.set(attribute.subarray(0, pairsAt));
  out.set(pairs, pairsAt);
  const view = viewOf(out);
  const last = runs.at(-1);
  view.setUint32(4, out.length, true);
  view.setBigUint64(0x18, BigInt(last ? last.vcn + last.clusters - 1 : -1), true);
  view.setBigUint64(0x28, BigInt(sizes.allocated), true);
  view.setBigUint64(0x30, BigInt(sizes.data), true);
  view.setBigUint64(0x38, BigInt(sizes.initialised), true);
  return out;
}
