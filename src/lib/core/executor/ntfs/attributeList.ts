import { viewOf } from '../../bytes';
import { NtfsDamage } from '../../volumes/ntfs/volume';

/** Record of each attribute of a file, or of each part of one. */
export interface ListEntry {
  type: number;
  name: string;
  lowestVcn: number;
  record: number;
  sequence: number;
  id: number;
}

const HEAD = 0x1a;

/** @throws NtfsDamage */
export function parseList(bytes: Uint8Array): ListEntry[] {
  const view = viewOf(bytes);
  const out: ListEntry[] = [];
  for (let at = 0; at + HEAD <= bytes.length;) {
    const length = view.getUint16(at + 4, true);
    const letters = view.getUint8(at + 6);
    const nameAt = at + view.getUint8(at + 7);
    if (length < HEAD || at + length > bytes.length || nameAt + 2 * letters > at + length)
      throw new NtfsDamage('an attribute list is damaged');
    let name = '';
    for (let i = 0; i < letters; i++) name += String.fromCharCode(view.getUint16(nameAt + 2 * i, true));
    const reference = view.getBigUint64(at + 0x10, true);
    out.push({
      type: view.getUint32(at, true),
      name,
      lowestVcn: Number(view.getBigUint64(at + 8, true)),
      record: Number(reference & 0xffffffffffffn),
      sequence: Number(reference >> 48n),
      id: view.getUint16(at + 0x18, true),
    });
    at += length;
  }
  return out;
}

export function listBytes(entries: readonly ListEntry[]): Uint8Array {
  const lengths = entries.map(({ name }) => Math.ceil((HEAD + 2 * name.length) / 8) * 8);
  const out = new Uint8Array(lengths.reduce((sum, one) => sum + one, 0));
  const view = viewOf(out);
  let at = 0;
  for (const [i, { type, name, lowestVcn, record, sequence, id }] of entries.entries()) {
    view.setUint32(at, type, true);
    view.setUint16(at + 4, lengths[i]!, true);
    view.setUint8(at + 6, name.length);
    view.setUint8(at + 7, HEAD);
    view.setBigUint64(at + 8, BigInt(lowestVcn), true);
    view.setBigUint64(at + 0x10, BigInt(record) | (BigInt(sequence) << 48n), true);
    view.setUint16(at + 0x18, id, true);
    for (let letter = 0; letter < name.length; letter++)
      view.setUint16(at + HEAD + 2 * letter, name.charCodeAt(letter), true);
    at += lengths[i]!;
  }
  return out;
}
