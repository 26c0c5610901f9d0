import { viewOf } from '../../../bytes';
import { applyUpdateSequence, attributesAt, makeEmptyRecord } from '../../ntfs/records';
import { units, type StandInAttribute } from './attribute';

/** A reference to a record: its number and the sequence number that it has. */
export interface Ref {
  number: number;
  sequence: number;
}

export const putRef = (view: DataView, at: number, { number, sequence }: Ref): void =>
  view.setBigUint64(at, BigInt(number) | (BigInt(sequence) << 48n), true);

export interface StandInRecord extends Ref {
  links: number;
  folder: boolean;
  /** In use. */
  used: boolean;
  /** The record that it continues. */
  base?: Ref;
  attributes: readonly StandInAttribute[];
}

/** Bytes that a record has for attributes. */
export const roomIn = (recordSize: number): number => recordSize - attributesAt(recordSize) - 8;

/** A file record as it is written. @throws RangeError where its attributes do not fit */
export function makeFileRecord(recordSize: number, facts: StandInRecord): Uint8Array {
  const bytes = makeEmptyRecord(recordSize, facts);
  const view = viewOf(bytes);
  const at = attributesAt(recordSize);
  view.setUint16(0x12, facts.links, true);
  view.setUint16(0x16, (facts.used ? 1 : 0) | (facts.folder ? 2 : 0), true);
  if (facts.base) putRef(view, 0x20, facts.base);
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
  return applyUpdateSequence(bytes);
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

export function makeStandardInformation(
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
