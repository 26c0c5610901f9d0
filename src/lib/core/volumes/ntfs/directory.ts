import { undoFixup } from './fixup';
import type { NtfsVolume } from './volume';

const ROOT_RECORD = 5;
const INDEX = { root: 0x90, allocation: 0xa0, name: '$I30' } as const;
const LAST = 2;
/** A root directory of more blocks than this holds nothing that is looked for here. */
const MOST_BLOCKS = 1024;

/**
 * The names in the root directory (in lower case) and the file records that they lead to. All blocks are
 * read in turn instead of descending the tree: its order depends on the volume's own case table.
 */
export async function rootEntries(volume: NtfsVolume): Promise<Map<string, number>> {
  const names = new Map<string, number>();
  const root = await volume.stream(ROOT_RECORD, INDEX.root, INDEX.name);
  if (!('resident' in root.content) || root.size < 0x20) return names;
  collect(root.content.resident, 0x10, names);
  const allocation = await volume.streamOrNull(ROOT_RECORD, INDEX.allocation, INDEX.name);
  if (!allocation) return names;
  const view = viewOf(root.content.resident);
  const blockSize = view.getUint32(8, true);
  if (blockSize < 512 || blockSize > 65536 || blockSize % 512 !== 0) return names;
  let blocks = 0;
  for await (const piece of volume.pieces(allocation, Math.max(blockSize, volume.boot.clusterSize))) {
    for (let at = 0; at + blockSize <= piece.length; at += blockSize) {
      if (++blocks > MOST_BLOCKS) return names;
      const raw = piece.subarray(at, at + blockSize);
      // A block that is not in use need not carry a signature.
      if (String.fromCharCode(...raw.subarray(0, 4)) !== 'INDX') continue;
      const block = undoFixup(raw);
      if (block) collect(block, 0x18, names);
    }
  }
  return names;
}

/** Adds the entries of one index node, whose header stands at `headerAt`. */
function collect(node: Uint8Array, headerAt: number, into: Map<string, number>): void {
  const view = viewOf(node);
  if (headerAt + 16 > node.length) return;
  const end = Math.min(node.length, headerAt + view.getUint32(headerAt + 4, true));
  for (let at = headerAt + view.getUint32(headerAt, true); at + 0x10 <= end;) {
    const length = view.getUint16(at + 8, true);
    if (length < 0x10 || at + length > end || (view.getUint16(at + 12, true) & LAST) !== 0) return;
    const nameAt = at + 0x10 + 0x42;
    if (nameAt <= at + length) {
      const units = view.getUint8(at + 0x10 + 0x40);
      if (nameAt + 2 * units <= at + length) {
        const name = new TextDecoder('utf-16le').decode(node.subarray(nameAt, nameAt + 2 * units));
        into.set(name.toLowerCase(), Number(view.getBigUint64(at, true) & 0xffffffffffffn));
      }
    }
    at += length;
  }
}

const viewOf = (bytes: Uint8Array): DataView =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
