import { viewOf } from '../bytes';
import type { Creation } from '../steps';

/** Device of an executor: the disk itself, or a store beside it, by name. */
export type DiskPlace = 'disk' | `aside:${string}`;

/** Whole sectors that are in use by somebody: what stood there, and what will. */
export interface DiskChange {
  offset: number;
  before: Uint8Array;
  after: Uint8Array;
}

/** One copy of a GPT as its bytes: header and entry array, each in whole sectors, with their offsets. */
export interface TableCopy {
  headerAt: number;
  header: Uint8Array;
  arrayAt: number;
  array: Uint8Array;
}

/** A GPT as its bytes: protective record and both copies. */
export interface TableImage {
  record: Uint8Array;
  primary: TableCopy;
  backup: TableCopy;
}

/** Extents as pairs of offset and length in bytes, in order, from the start of the moved range. */
export type Extents = number[];

/**
 * What a step does to the disk, as data. Each operation can be begun again from where it was cut, and taken back,
 * without a look at what the cut left (docs/executor.md says why, operation by operation).
 */
export type Operation =
  /** Sectors in use change; each group is safe before the next begins. */
  | { op: 'change'; on: DiskPlace; groups: DiskChange[][] }
  /** A GPT changes, so that one valid copy exists at every instant. */
  | { op: 'table'; before: TableImage; after: TableImage }
  /** Bytes go to where nothing lies. The source stays as it was. */
  | { op: 'copy'; from: DiskPlace; fromAt: number; to: DiskPlace; toAt: number; extents: Extents }
  /** The same for many pieces of one device: triples of where from, where to, and length, in bytes. */
  | { op: 'scatter'; on: DiskPlace; moves: number[] }
  /** Bytes go to a place that overlaps their own. */
  | { op: 'slide'; fromAt: number; toAt: number; length: number; extents: Extents }
  /** A stretch is filled with one byte; what it held is worth nothing, and taking back fills it as well. */
  | { op: 'fill'; on: DiskPlace; offset: number; length: number; byte: number }
  /** A file system's own structures are written where nothing lies. */
  | { op: 'lay'; on: DiskPlace; laid: WrittenPiece[] }
  /**
   * An empty file system is made where nothing lies that counts: as the step is carried out, or only as it is taken
   * back. The same bytes each time.
   */
  | { op: 'format'; when: 'forward' | 'back'; volume: Creation; first: number; sectors: number; seed: number }
  /** The disk itself changes its size, in bytes. */
  | { op: 'resize'; before: number; after: number };

/** Bytes at a place, or a stretch of one and the same byte. */
export type WrittenPiece =
  { offset: number; bytes: Uint8Array } | { offset: number; length: number; byte: number };

/** Relocations within a volume that made room for its new end. */
export interface Relocated {
  /** Files and folders, and bytes of them. */
  files: number;
  bytes: number;
  /** In how many pieces those files lay before, and lie now. */
  piecesBefore: number;
  piecesAfter: number;
}

export interface StepPlan {
  operations: Operation[];
  /** Number of a partition whose volume is marked, for Windows to check it at the next start. */
  marks: number | null;
  /**
   * Bytes that further plans of the same step move, at a guess; null: it is the last one. Each plan leaves the step's
   * files and sizes as they were, so a step in several plans is taken back by taking back the one in hand.
   */
  more: number | null;
  relocated: Relocated | null;
}

/** A plan as bytes: its text, in which each run of bytes is a number, and the runs behind it. */
export function packPlan(plan: StepPlan): Uint8Array {
  const blobs: Uint8Array[] = [];
  const text = new TextEncoder().encode(
    JSON.stringify(plan, (_, value: unknown) =>
      value instanceof Uint8Array ? { bytes: blobs.push(value) - 1, length: value.length } : value,
    ),
  );
  const size = blobs.reduce((sum, blob) => sum + blob.length, 4 + text.length);
  const out = new Uint8Array(size);
  viewOf(out).setUint32(0, text.length, true);
  out.set(text, 4);
  let at = 4 + text.length;
  for (const blob of blobs) {
    out.set(blob, at);
    at += blob.length;
  }
  return out;
}

/** The plan that {@link packPlan} made bytes of. */
export function unpackPlan(bytes: Uint8Array): StepPlan {
  const length = viewOf(bytes).getUint32(0, true);
  const lengths: number[] = [];
  const text = new TextDecoder().decode(bytes.subarray(4, 4 + length));
  const isBlob = (value: unknown): value is { bytes: number; length: number } =>
    typeof value === 'object' && value !== null && 'bytes' in value && 'length' in value;
  // In the order in which they were numbered; a reviver sees them in the same.
  JSON.parse(text, (_, value: unknown) => {
    if (isBlob(value)) lengths[value.bytes] = value.length;
    return value;
  });
  const starts = [4 + length];
  for (const [i, one] of lengths.entries()) starts.push(starts[i]! + one);
  return JSON.parse(text, (_, value: unknown) =>
    isBlob(value) ? bytes.slice(starts[value.bytes]!, starts[value.bytes]! + value.length) : value,
  ) as StepPlan;
}
