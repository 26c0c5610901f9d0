import { viewOf } from '../../bytes';
import { removeUpdateSequence } from './updateSequence';

/** Attribute types that are read here. */
export const ATTRIBUTE = {
  standard: 0x10,
  list: 0x20,
  fileName: 0x30,
  volumeName: 0x60,
  volumeInformation: 0x70,
  data: 0x80,
  end: 0xffffffff,
} as const;

export interface Attribute {
  type: number;
  name: string;
  lowestVcn: number;
  /** The value, where it is resident. */
  value: Uint8Array | null;
  /** The mapping pairs, where it is not. */
  runs: Uint8Array | null;
  /** Bytes of the stream; counts only where `lowestVcn` is 0, as does the next. */
  dataSize: number;
  /** Bytes of it that were ever written; what lies behind reads as zeros, whatever its clusters hold. */
  initialisedSize: number;
}

/** A file record in use. */
export interface FileRecord {
  /** The record that this one continues, or 0 where it stands for itself. */
  base: number;
  /** Mark of a record that continues another; record 0, whose number says nothing else, is continued as well. */
  continues: boolean;
  attributes: Attribute[];
}

/** The 48 bits of a file reference that are the record's number. */
export const recordOf = (view: DataView, at: number): number =>
  Number(view.getBigUint64(at, true) & 0xffffffffffffn);

/** A file record (`FILE`): 'free' where it is not in use, null where it is damaged. */
export function parseRecord(raw: Uint8Array): FileRecord | 'free' | null {
  if (String.fromCharCode(...raw.subarray(0, 4)) !== 'FILE') return null;
  const record = removeUpdateSequence(raw);
  if (!record) return null;
  const view = new DataView(record.buffer);
  if ((view.getUint16(0x16, true) & 1) === 0) return 'free';
  const used = view.getUint32(0x18, true);
  if (used > record.length) return null;

  const attributes: Attribute[] = [];
  for (let at = view.getUint16(0x14, true); at + 4 <= used;) {
    const type = view.getUint32(at, true);
    if (type === ATTRIBUTE.end) {
      const continues = view.getBigUint64(0x20, true) !== 0n;
      return { base: recordOf(view, 0x20), continues, attributes };
    }
    if (at + 0x18 > used) return null;
    const length = view.getUint32(at + 4, true);
    if (length < 0x18 || at + length > used) return null;
    const attribute = parseAttribute(record.subarray(at, at + length), type);
    if (!attribute) return null;
    attributes.push(attribute);
    at += length;
  }
  return null; // no end mark: cut short
}

function parseAttribute(bytes: Uint8Array, type: number): Attribute | null {
  const view = viewOf(bytes);
  const nameLength = view.getUint8(9);
  const nameAt = view.getUint16(10, true);
  if (nameAt + 2 * nameLength > bytes.length) return null;
  let name = '';
  for (let i = 0; i < nameLength; i++) name += String.fromCharCode(view.getUint16(nameAt + 2 * i, true));
  if (view.getUint8(8) === 0) {
    const size = view.getUint32(0x10, true);
    const at = view.getUint16(0x14, true);
    if (at + size > bytes.length) return null;
    const value = bytes.subarray(at, at + size);
    return { type, name, lowestVcn: 0, value, runs: null, dataSize: size, initialisedSize: size };
  }
  if (bytes.length < 0x40) return null;
  const runsAt = view.getUint16(0x20, true);
  if (runsAt > bytes.length) return null;
  const u64 = (at: number) => Number(view.getBigUint64(at, true));
  return {
    type,
    name,
    lowestVcn: u64(0x10),
    value: null,
    runs: bytes.subarray(runsAt),
    dataSize: u64(0x30),
    initialisedSize: u64(0x38),
  };
}
