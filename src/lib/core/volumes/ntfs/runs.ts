/** A run of clusters of a stream: `lcn` is where it lies on the volume, or null where it is sparse. */
export interface ClusterRun {
  vcn: number;
  lcn: number | null;
  clusters: number;
}

/**
 * Decodes mapping pairs (domain facts 4): low nibble = bytes of length, high nibble = bytes of offset, both
 * signed little-endian; the offset is a delta to the last non-sparse cluster; a zero byte ends.
 *
 * @param firstVcn the extent's lowest VCN
 * @param volumeClusters runs beyond the volume are refused
 * @returns the runs in order, or null where the list is damaged
 */
export function decodeRuns(bytes: Uint8Array, firstVcn: number, volumeClusters: number): ClusterRun[] | null {
  const runs: ClusterRun[] = [];
  let vcn = firstVcn;
  let lcn = 0;
  for (let at = 0; at < bytes.length && bytes[at] !== 0;) {
    const lengthBytes = bytes[at]! & 0x0f;
    const offsetBytes = bytes[at]! >> 4;
    if (lengthBytes === 0 || lengthBytes > 8 || offsetBytes > 8) return null;
    if (at + 1 + lengthBytes + offsetBytes > bytes.length) return null;
    const clusters = signed(bytes, at + 1, lengthBytes);
    if (clusters <= 0 || vcn + clusters > 2 ** 40) return null;
    if (offsetBytes === 0) {
      runs.push({ vcn, lcn: null, clusters });
    } else {
      lcn += signed(bytes, at + 1 + lengthBytes, offsetBytes);
      if (lcn < 0 || lcn + clusters > volumeClusters) return null;
      runs.push({ vcn, lcn, clusters });
    }
    vcn += clusters;
    at += 1 + lengthBytes + offsetBytes;
  }
  return runs;
}

function signed(bytes: Uint8Array, at: number, length: number): number {
  let value = 0n;
  for (let i = length - 1; i >= 0; i--) value = (value << 8n) | BigInt(bytes[at + i]!);
  return Number(BigInt.asIntN(8 * length, value));
}
