import { concat, viewOf } from '../../../bytes';
import { applyFixup } from '../../ntfs/records';
import { roundUp, units, type Attribute } from './attribute';

/** A reference to a record: its number and the sequence number that it has. */
export interface Ref {
  number: number;
  sequence: number;
}

export const putRef = (view: DataView, at: number, { number, sequence }: Ref): void =>
  view.setBigUint64(at, BigInt(number) | (BigInt(sequence) << 48n), true);

export interface RecordFacts extends Ref {
  links: number;
  folder: boolean;
  /** In use. */
  used: boolean;
  /** The record that it continues. */
  base?: Ref;
  attributes: readonly Attribute[];
}

/** Bytes that a record has for attributes. */
export const roomIn = (recordSize: number): number => recordSize - attributesAt(recordSize) - 8;

const attributesAt = (recordSize: number): number => roundUp(0x30 + 2 * (recordSize / 512 + 1), 8);

/** A file record as it is written. @throws RangeError where its attributes do not fit */
export function fileRecord(recordSize: number, facts: RecordFacts): Uint8Array {
  const bytes = new Uint8Array(recordSize);
  const view = viewOf(bytes);
  const at = attributesAt(recordSize);
  bytes.set(new TextEncoder().encode('FILE'));
  view.setUint16(4, 0x30, true);
  view.setUint16(6, recordSize / 512 + 1, true);
  view.setUint16(0x10, facts.sequence, true);
  view.setUint16(0x12, facts.links, true);
  view.setUint16(0x14, at, true);
  view.setUint16(0x16, (facts.used ? 1 : 0) | (facts.folder ? 2 : 0), true);
  view.setUint32(0x1c, recordSize, true);
  if (facts.base) putRef(view, 0x20, facts.base);
  view.setUint32(0x2c, facts.number, true);
  let end = at;
  const sorted = [...facts.attributes].sort(
    (a, b) => a.type - b.type || (a.name < b.name ? -1 : a.name > b.name ? 1 : a.lowest - b.lowest),
  );
  for (const [id, attribute] of sorted.entries()) {
    if (end + attribute.bytes.length + 8 > recordSize)
      throw new RangeError(`record ${facts.number} is too full`);
    bytes.set(attribute.bytes, end);
    view.setUint16(end + 0x0e, id, true);
    end += attribute.bytes.length;
  }
  view.setUint16(0x28, sorted.length, true);
  view.setUint32(end, 0xffffffff, true);
  view.setUint32(0x18, end + 8, true);
  return applyFixup(bytes);
}

/** The list of a file's attributes over several records, in the order in which it must be. */
export function attributeList(entries: readonly { attribute: Attribute; id: number; at: Ref }[]): Uint8Array {
  const parts = entries.map(({ attribute, id, at }) => {
    const bytes = new Uint8Array(roundUp(0x1a + 2 * attribute.name.length, 8));
    const view = viewOf(bytes);
    view.setUint32(0, attribute.type, true);
    view.setUint16(4, bytes.length, true);
    bytes[6] = attribute.name.length;
    bytes[7] = 0x1a;
    view.setBigUint64(8, BigInt(attribute.lowest), true);
    putRef(view, 0x10, at);
    view.setUint16(0x18, id, true);
    bytes.set(units(attribute.name), 0x1a);
    return bytes;
  });
  return concat(parts);
}

/** Moments of a file, in the format's 100 ns since 1601. */
export interface Times {
  created: bigint;
  changed: bigint;
}

/** DOS flags of a file, and two that only names carry. */
export const FILE = {
  readOnly: 1,
  hidden: 2,
  system: 4,
  archive: 0x20,
  sparse: 0x200,
  reparse: 0x400,
  compressed: 0x800,
  folder: 0x10000000,
} as const;

export function standardInformation(
  { created, changed }: Times,
  flags: number,
  securityId: number,
): Uint8Array {
  const bytes = new Uint8Array(0x48);
  const view = viewOf(bytes);
  [created, changed, changed, changed].forEach((time, i) => view.setBigUint64(8 * i, time, true));
  view.setUint32(0x20, flags & 0xffff, true);
  view.setUint32(0x34, securityId, true);
  return bytes;
}

export interface NameFacts {
  parent: Ref;
  name: string;
  times: Times;
  allocated: number;
  size: number;
  flags: number;
  reparseTag?: number;
}

const SHORT = /^[A-Z0-9_-]{1,8}(\.[A-Z0-9_-]{1,3})?$/;

export function fileName({ parent, name, times, allocated, size, flags, reparseTag }: NameFacts): Uint8Array {
  const bytes = new Uint8Array(0x42 + 2 * name.length);
  const view = viewOf(bytes);
  putRef(view, 0, parent);
  [times.created, times.changed, times.changed, times.changed].forEach((time, i) =>
    view.setBigUint64(8 + 8 * i, time, true),
  );
  view.setBigUint64(0x28, BigInt(allocated), true);
  view.setBigUint64(0x30, BigInt(size), true);
  view.setUint32(0x38, flags, true);
  view.setUint32(0x3c, reparseTag ?? 0, true);
  bytes[0x40] = name.length;
  // A name that is a short one as it stands needs no second; the others have none.
  bytes[0x41] = SHORT.test(name) ? 3 : 0;
  bytes.set(units(name), 0x42);
  return bytes;
}
