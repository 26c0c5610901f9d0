import { viewOf } from '../../../bytes';
import { roundUp, units } from './attribute';
import type { IndexEntry } from './index';

/**
 * Upper case as the volume itself knows it: one unit for one, and only where going back leads to the same letter again
 * or nowhere.
 */
export const makeUpcaseTable = (): Uint8Array => (known ??= madeTable());
let known: Uint8Array | null = null;

function madeTable(): Uint8Array {
  const bytes = new Uint8Array(2 * 65536);
  const view = viewOf(bytes);
  for (let unit = 0; unit < 65536; unit++) {
    const upper = unit >= 0xd800 && unit < 0xe000 ? '' : String.fromCharCode(unit).toUpperCase();
    view.setUint16(2 * unit, upper.length === 1 ? upper.charCodeAt(0) : unit, true);
  }
  return bytes;
}

/** In the order of the volume's names. */
export const byUpcase =
  (table: Uint8Array) =>
  (a: string, b: string): number => {
    const view = viewOf(table);
    for (let i = 0; i < Math.min(a.length, b.length); i++) {
      const difference =
        view.getUint16(2 * a.charCodeAt(i), true) - view.getUint16(2 * b.charCodeAt(i), true);
      if (difference !== 0) return difference;
    }
    return a.length - b.length;
  };

/** Name, type, flags, least and most bytes of each kind of attribute that version 3.1 knows. */
const DEFINITIONS: [string, number, number, bigint, bigint][] = [
  ['$STANDARD_INFORMATION', 0x10, 0x40, 0x30n, 0x48n],
  ['$ATTRIBUTE_LIST', 0x20, 0x80, 0n, -1n],
  ['$FILE_NAME', 0x30, 0x42, 0x44n, 0x242n],
  ['$OBJECT_ID', 0x40, 0x40, 0n, 0x100n],
  ['$SECURITY_DESCRIPTOR', 0x50, 0x80, 0n, -1n],
  ['$VOLUME_NAME', 0x60, 0x40, 2n, 0x100n],
  ['$VOLUME_INFORMATION', 0x70, 0x40, 0x0cn, 0x0cn],
  ['$DATA', 0x80, 0, 0n, -1n],
  ['$INDEX_ROOT', 0x90, 0x40, 0n, -1n],
  ['$INDEX_ALLOCATION', 0xa0, 0x80, 0n, -1n],
  ['$BITMAP', 0xb0, 0x80, 0n, -1n],
  ['$REPARSE_POINT', 0xc0, 0x80, 0n, 0x4000n],
  ['$EA_INFORMATION', 0xd0, 0x40, 8n, 8n],
  ['$EA', 0xe0, 0, 0n, 0x10000n],
  ['$LOGGED_UTILITY_STREAM', 0x100, 0x80, 0n, 0x10000n],
];

export function makeAttributeDefinitions(): Uint8Array {
  const bytes = new Uint8Array(2560);
  const view = viewOf(bytes);
  DEFINITIONS.forEach(([name, type, flags, least, most], i) => {
    const at = 160 * i;
    bytes.set(units(name), at);
    view.setUint32(at + 128, type, true);
    view.setUint32(at + 140, flags, true);
    view.setBigInt64(at + 144, least, true);
    view.setBigInt64(at + 152, most, true);
  });
  return bytes;
}

/** The one descriptor that all files share: everybody may do everything. */
const DESCRIPTOR = Uint8Array.of(
  ...[1, 0, 0x04, 0x80, 0x30, 0, 0, 0, 0x40, 0, 0, 0, 0, 0, 0, 0, 0x14, 0, 0, 0],
  // An access list of one entry: everyone, all rights, handed down.
  ...[2, 0, 0x1c, 0, 1, 0, 0, 0, 0, 3, 0x14, 0, 0xff, 0x01, 0x1f, 0, 1, 1, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0],
  // Owner and group: administrators.
  ...[1, 2, 0, 0, 0, 0, 0, 5, 0x20, 0, 0, 0, 0x20, 0x02, 0, 0],
  ...[1, 2, 0, 0, 0, 0, 0, 5, 0x20, 0, 0, 0, 0x20, 0x02, 0, 0],
);
export const SECURITY_ID = 0x100;
/** The stream keeps each block of descriptors twice, this far from each other. */
const COPY_AT = 0x40000;

/** `$Secure`: its stream of descriptors, and the entries of its two indexes, by hash and by number. */
export function security(): { stream: Uint8Array; byHash: IndexEntry; byId: IndexEntry } {
  const words = viewOf(DESCRIPTOR);
  let hash = 0;
  for (let at = 0; at < DESCRIPTOR.length; at += 4)
    hash = (words.getUint32(at, true) + ((hash << 3) | (hash >>> 29))) >>> 0;
  const length = 0x14 + DESCRIPTOR.length;
  const header = new Uint8Array(0x14);
  const view = viewOf(header);
  view.setUint32(0, hash, true);
  view.setUint32(4, SECURITY_ID, true);
  view.setUint32(0x10, length, true);
  const stream = new Uint8Array(COPY_AT + roundUp(length, 16));
  for (const at of [0, COPY_AT]) {
    stream.set(header, at);
    stream.set(DESCRIPTOR, at + 0x14);
  }
  const entry = (key: Uint8Array, data: Uint8Array): IndexEntry => {
    const head = new Uint8Array(8);
    viewOf(head).setUint16(0, 0x10 + key.length, true);
    viewOf(head).setUint16(2, 0x14, true);
    return { head, key, data };
  };
  const marked = new Uint8Array(0x18);
  marked.set(header);
  marked.set([0x49, 0, 0x49, 0], 0x14);
  return { stream, byHash: entry(header.slice(0, 8), marked), byId: entry(header.slice(4, 8), header) };
}
