import { viewOf } from '../../../bytes';
import { applyUpdateSequence } from '../../ntfs/records';
import { roundUp } from './attribute';

/** An entry of an index: what it leads to or holds, and its key. */
export interface IndexEntry {
  /** The first 8 bytes: a reference, or where data stands. */
  head: Uint8Array;
  key: Uint8Array;
  /** Data behind the key (of views). */
  data?: Uint8Array;
}

export interface Index {
  /** Value of the index root. */
  root: Uint8Array;
  /** The blocks, if the names do not fit into the record. */
  blocks: Uint8Array[];
}

const BLOCK_HEADER = 0x40;
const CHILD = 1;
const LAST = 2;

interface Node {
  entries: IndexEntry[];
  /** Block numbers, one more than entries; none where it is a leaf. */
  children: number[];
}

/**
 * An index of sorted entries: in the record where they fit into `room`, else as a tree of blocks, which are filled to
 * four fifths as a tree that grew would be.
 */
export function buildIndex(
  entries: readonly IndexEntry[],
  {
    type,
    collation,
    blockSize,
    clusterSize,
    room,
  }: { type: number; collation: number; blockSize: number; clusterSize: number; room: number },
): Index {
  const blocks: Node[] = [];
  const fill = Math.floor((blockSize - BLOCK_HEADER) * 0.8);
  let node: Node = { entries: [...entries], children: [] };
  while (rootBytes(node) > room) {
    const above: Node = { entries: [], children: [] };
    let part: Node = { entries: [], children: [] };
    const end = () => {
      above.children.push(blocks.length);
      blocks.push(part);
      part = { entries: [], children: [] };
    };
    node.entries.forEach((entry, i) => {
      const [child] = node.children.slice(i, i + 1);
      if (child !== undefined) part.children.push(child);
      // The entry behind a full block stands above it, between this one and the next.
      const full = part.entries.length > 0 && bytesOf(part) + sizeOf(entry, true) > fill;
      if (full && i < node.entries.length - 1) {
        end();
        above.entries.push(entry);
      } else part.entries.push(entry);
    });
    const last = node.children.at(-1);
    if (last !== undefined) part.children.push(last);
    end();
    node = above;
  }
  const unit = clusterSize <= blockSize ? clusterSize : 512;
  const vcn = (block: number) => (block * blockSize) / unit;
  const header = new Uint8Array(0x20);
  const view = viewOf(header);
  const body = nodeBytes(node, vcn);
  view.setUint32(0, type, true);
  view.setUint32(4, collation, true);
  view.setUint32(8, blockSize, true);
  header[12] = clusterSize <= blockSize ? blockSize / clusterSize : blockSize / 512;
  view.setUint32(0x10, 0x10, true);
  view.setUint32(0x14, 0x10 + body.length, true);
  view.setUint32(0x18, 0x10 + body.length, true);
  header[0x1c] = node.children.length > 0 ? 1 : 0;
  const root = new Uint8Array(0x20 + body.length);
  root.set(header);
  root.set(body, 0x20);
  return { root, blocks: blocks.map((one, i) => blockOf(one, blockSize, vcn(i), vcn)) };
}

const sizeOf = ({ key, data }: IndexEntry, parent: boolean): number =>
  roundUp(0x10 + key.length + (data?.length ?? 0), 8) + (parent ? 8 : 0);

const bytesOf = ({ entries, children }: Node): number =>
  entries.reduce((sum, entry) => sum + sizeOf(entry, children.length > 0), 0) +
  (children.length > 0 ? 0x18 : 0x10);

const rootBytes = (node: Node): number => 0x20 + bytesOf(node);

function nodeBytes(node: Node, vcn: (block: number) => number): Uint8Array {
  const parent = node.children.length > 0;
  const out = new Uint8Array(bytesOf(node));
  const view = viewOf(out);
  let at = 0;
  const child = (end: number, i: number) => {
    if (parent) view.setBigUint64(end - 8, BigInt(vcn(node.children[i]!)), true);
  };
  node.entries.forEach((entry, i) => {
    const length = sizeOf(entry, parent);
    out.set(entry.head, at);
    view.setUint16(at + 8, length, true);
    view.setUint16(at + 10, entry.key.length, true);
    view.setUint16(at + 12, parent ? CHILD : 0, true);
    out.set(entry.key, at + 0x10);
    if (entry.data) out.set(entry.data, at + 0x10 + entry.key.length);
    at += length;
    child(at, i);
  });
  view.setUint16(at + 8, parent ? 0x18 : 0x10, true);
  view.setUint16(at + 12, LAST | (parent ? CHILD : 0), true);
  child(out.length, node.entries.length);
  return out;
}

function blockOf(node: Node, size: number, own: number, vcn: (block: number) => number): Uint8Array {
  const bytes = new Uint8Array(size);
  const view = viewOf(bytes);
  const body = nodeBytes(node, vcn);
  bytes.set(new TextEncoder().encode('INDX'));
  view.setUint16(4, 0x28, true);
  view.setUint16(6, size / 512 + 1, true);
  view.setBigUint64(0x10, BigInt(own), true);
  view.setUint32(0x18, BLOCK_HEADER - 0x18, true);
  view.setUint32(0x1c, BLOCK_HEADER - 0x18 + body.length, true);
  view.setUint32(0x20, size - 0x18, true);
  bytes[0x24] = node.children.length > 0 ? 1 : 0;
  bytes.set(body, BLOCK_HEADER);
  return applyUpdateSequence(bytes);
}
