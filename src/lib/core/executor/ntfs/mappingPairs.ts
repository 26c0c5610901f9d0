import { viewOf } from '../../bytes';
import type { ClusterRun } from '../../volumes/ntfs/runs';

/** Mapping pairs of runs in order (domain facts 4: signed, as short as they go, a zero byte at the end). */
export function encodeRuns(runs: readonly ClusterRun[]): Uint8Array {
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
export function withRuns(attribute: Uint8Array, runs: readonly ClusterRun[], sizes: StreamSizes): Uint8Array {
  const out = rebuilt(attribute, runs);
  const view = viewOf(out);
  view.setBigUint64(0x28, BigInt(sizes.allocated), true);
  view.setBigUint64(0x30, BigInt(sizes.data), true);
  view.setBigUint64(0x38, BigInt(sizes.initialised), true);
  return out;
}

/**
 * The same attribute, or a later part of it, with other runs that hold the same clusters of the stream, or some of
 * them.
 */
export function withPlaces(attribute: Uint8Array, runs: readonly ClusterRun[]): Uint8Array {
  const out = rebuilt(attribute, runs);
  const view = viewOf(out);
  const first = runs[0]!;
  view.setBigUint64(0x10, BigInt(first.vcn), true);
  // Sizes of a stream count only in its first part (domain facts 4).
  const sizesEnd = out[9]! > 0 ? view.getUint16(0x0a, true) : view.getUint16(0x20, true);
  if (first.vcn > 0) out.fill(0, 0x28, Math.min(sizesEnd, 0x48));
  return out;
}

/** The head of an attribute with other mapping pairs behind it, its length and its last cluster. */
function rebuilt(attribute: Uint8Array, runs: readonly ClusterRun[]): Uint8Array {
  const pairs = encodeRuns(runs);
  const pairsAt = viewOf(attribute).getUint16(0x20, true);
  const out = new Uint8Array(Math.ceil((pairsAt + pairs.length) / 8) * 8);
  out.set(attribute.subarray(0, pairsAt));
  out.set(pairs, pairsAt);
  const view = viewOf(out);
  const last = runs.at(-1);
  view.setUint32(4, out.length, true);
  view.setBigUint64(0x18, BigInt(last ? last.vcn + last.clusters - 1 : -1), true);
  return out;
}
