import { viewOf } from '../../../bytes';
import { encodeRuns } from '../../ntfs/mappingPairs';
import type { ClusterRun } from '../../../volumes/ntfs/runs';

/** Attribute types of NTFS that a stand-in's files have (domain facts 4). */
export const TYPE = {
  standard: 0x10,
  list: 0x20,
  name: 0x30,
  security: 0x50,
  volumeName: 0x60,
  volumeInformation: 0x70,
  data: 0x80,
  root: 0x90,
  blocks: 0xa0,
  bitmap: 0xb0,
  reparse: 0xc0,
} as const;

export const FLAG = { compressed: 0x0001, sparse: 0x8000 } as const;

/** An attribute that is still to get its number within its record. */
export interface StandInAttribute {
  type: number;
  name: string;
  bytes: Uint8Array;
  /** Lowest VCN, for the list of a file that has several records. */
  lowest: number;
}

export const units = (name: string): Uint8Array => {
  const out = new Uint8Array(2 * name.length);
  for (let i = 0; i < name.length; i++) viewOf(out).setUint16(2 * i, name.charCodeAt(i), true);
  return out;
};

export const roundUp = (value: number, unit: number): number => Math.ceil(value / unit) * unit;

export function resident(type: number, value: Uint8Array, name = '', indexed = false): StandInAttribute {
  const valueAt = roundUp(0x18 + 2 * name.length, 8);
  const bytes = new Uint8Array(roundUp(valueAt + value.length, 8));
  const view = viewOf(bytes);
  view.setUint32(0, type, true);
  view.setUint32(4, bytes.length, true);
  bytes[9] = name.length;
  view.setUint16(0x0a, 0x18, true);
  view.setUint32(0x10, value.length, true);
  view.setUint16(0x14, valueAt, true);
  bytes[0x16] = indexed ? 1 : 0;
  bytes.set(units(name), 0x18);
  bytes.set(value, valueAt);
  return { type, name, bytes, lowest: 0 };
}

/** Sizes of a stream in clusters. Bytes; `stored` is what a compressed or sparse one really takes. */
export interface Sizes {
  allocated: number;
  size: number;
  initialised: number;
  stored?: number;
}

export function makeNonResident(
  type: number,
  runs: readonly ClusterRun[],
  sizes: Sizes,
  { name = '', flags = 0 }: { name?: string; flags?: number } = {},
): StandInAttribute {
  const lowest = runs[0]?.vcn ?? 0;
  const nameAt = flags === 0 ? 0x40 : 0x48;
  const pairsAt = roundUp(nameAt + 2 * name.length, 8);
  const pairs = encodeRuns(runs);
  const bytes = new Uint8Array(roundUp(pairsAt + pairs.length, 8));
  const view = viewOf(bytes);
  const last = runs.at(-1);
  view.setUint32(0, type, true);
  view.setUint32(4, bytes.length, true);
  bytes[8] = 1;
  bytes[9] = name.length;
  view.setUint16(0x0a, nameAt, true);
  view.setUint16(0x0c, flags, true);
  view.setBigUint64(0x10, BigInt(lowest), true);
  view.setBigInt64(0x18, BigInt(last ? last.vcn + last.clusters - 1 : -1), true);
  view.setUint16(0x20, pairsAt, true);
  view.setUint16(0x22, flags === 0 ? 0 : 4, true);
  if (lowest === 0) {
    view.setBigUint64(0x28, BigInt(sizes.allocated), true);
    view.setBigUint64(0x30, BigInt(sizes.size), true);
    view.setBigUint64(0x38, BigInt(sizes.initialised), true);
    if (flags !== 0) view.setBigUint64(0x40, BigInt(sizes.stored ?? sizes.allocated), true);
  }
  bytes.set(units(name), nameAt);
  bytes.set(pairs, pairsAt);
  return { type, name, bytes, lowest };
}
