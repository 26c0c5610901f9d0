import { BrokenImage, catchBroken } from './broken';
import { viewOf } from '../bytes';
import { inflateSync } from 'fflate';
import { type Outcome, refusal, success } from '../problem';
import { mappedDisk, type MappedExtent } from './mapped';
import { Recent } from './recent';
import { ImageDamage, refuseImageDamage, type ByteSource } from './source';

const MAGIC = 0x514649fb; // "QFI" and 0xFB
/** Bounds of the format: clusters of 512 B to 2 MiB; QEMU's own bound of the first table is 32 MiB. */
const CLUSTER_BITS = { least: 9, most: 21 };
const MAX_L1_BYTES = 32 * 2 ** 20;
const MAX_BYTES = 2 ** 50;
/** Bits of the features that a reader must know. */
const FEATURE = { dirty: 1n, corrupt: 2n, externalData: 4n, compression: 8n, extendedL2: 16n } as const;
/** Bits 9 to 55 of a table's entry are a place in the file; bit 62 marks a compressed cluster, bit 0 one of zeros. */
const OFFSET = 0x00fffffffffffe00n;
const COMPRESSED = 1n << 62n;
const ZEROS = 1n;
const CACHED_TABLES = 64;
/** Compressed clusters that are kept once they have been unpacked. */
const CACHED_CLUSTERS = 16;

export async function isQcow2(source: ByteSource): Promise<boolean> {
  return source.size >= 4 && viewOf(await source.read(0, 4)).getUint32(0) === MAGIC;
}

/**
 * The disk inside a qcow2 file, version 2 or 3 (QEMU's own description, docs/interop/qcow2.txt; all fields big-endian).
 * Two tables lead from a cluster of the disk to one of the file. What stands in another file, is encrypted, or
 * is only the newest of several states is refused.
 *
 * Problem codes: `qcow2-broken`, `qcow2-backing`, `qcow2-encrypted`, `qcow2-snapshots`, `qcow2-feature`.
 */
export function openQcow2(source: ByteSource): Promise<Outcome<ByteSource>> {
  return catchBroken('This qcow2 image', 'qcow2-broken', () => open(source));
}

async function open(source: ByteSource): Promise<Outcome<ByteSource>> {
  const header = viewOf(await source.read(0, 72));
  const version = header.getUint32(4);
  if (version !== 2 && version !== 3) throw new BrokenImage(`its version (${version}) is not known`);
  const clusterBits = header.getUint32(20);
  const size = Number(header.getBigUint64(24));
  const l1Entries = header.getUint32(36);
  const l1At = Number(header.getBigUint64(40));
  if (clusterBits < CLUSTER_BITS.least || clusterBits > CLUSTER_BITS.most)
    throw new BrokenImage('its cluster size is impossible');
  if (size === 0 || size > MAX_BYTES) throw new BrokenImage('the size it gives is impossible');

  if (header.getBigUint64(8) !== 0n) {
    return refusal(
      'qcow2-backing',
      'This qcow2 image holds only differences to a backing file. Merge it with that file first; nothing was read.',
    );
  }
  if (header.getUint32(32) !== 0) {
    return refusal(
      'qcow2-encrypted',
      'This qcow2 image is encrypted. Make an unencrypted one first; nothing was read.',
    );
  }
  if (header.getUint32(60) !== 0) {
    const count = header.getUint32(60);
    return refusal(
      'qcow2-snapshots',
      `This qcow2 image holds ${count === 1 ? 'a snapshot' : `${count} snapshots`} beside its newest state. Make a copy without snapshots first, so that it is certain which state is meant; nothing was read.`,
    );
  }
  const features = version === 3 ? viewOf(await source.read(72, 8)).getBigUint64(0) : 0n;
  const unknown = unknownFeature(features);
  if (unknown !== null) {
    return refusal(
      'qcow2-feature',
      `This qcow2 image ${unknown}, which is not read here. Make a plain copy of it first; nothing was read.`,
    );
  }
  const clusterSize = 2 ** clusterBits;
  const perTable = clusterSize / 8;
  const clusters = Math.ceil(size / clusterSize);
  const tables = Math.ceil(clusters / perTable);
  if (tables > l1Entries || l1Entries * 8 > MAX_L1_BYTES)
    throw new BrokenImage('its first table is impossible');
  if (l1At % clusterSize !== 0) throw new BrokenImage('its first table has no place');
  const l1 = viewOf(await source.read(l1At, tables * 8));
  const file = refuseImageDamage(source);
  const l2 = new Recent<number>(CACHED_TABLES);
  const unpacked = new Recent<bigint>(CACHED_CLUSTERS);

  const entryOf = async (cluster: number): Promise<bigint> => {
    const table = Number(l1.getBigUint64(Math.floor(cluster / perTable) * 8) & OFFSET);
    if (table === 0) return 0n;
    if (table % clusterSize !== 0) throw new ImageDamage('one of its tables has no place');
    const bytes = await l2.of(table, () => file.read(table, clusterSize));
    return viewOf(bytes).getBigUint64((cluster % perTable) * 8);
  };
  const placeOf = async (cluster: number): Promise<MappedExtent> => {
    const entry = await entryOf(cluster);
    if ((entry & COMPRESSED) !== 0n) return unpacked.of(entry, () => unpack(file, entry, clusterBits));
    const place = Number(entry & OFFSET);
    if (place === 0 || (version === 3 && (entry & ZEROS) !== 0n)) return 'zeros';
    if (place % clusterSize !== 0) throw new ImageDamage('one of its clusters has no place');
    return place;
  };
  return success(mappedDisk(file, size, clusterSize, placeOf));
}

/** Needs of a file that are not met here, as the rest of a sentence; null: nothing. */
function unknownFeature(features: bigint): string | null {
  if ((features & FEATURE.corrupt) !== 0n) return 'is marked as corrupt';
  if ((features & FEATURE.externalData) !== 0n) return 'keeps its data in another file';
  if ((features & FEATURE.compression) !== 0n) return 'is packed with zstd';
  if ((features & FEATURE.extendedL2) !== 0n) return 'has subclusters';
  return (features & ~FEATURE.dirty) !== 0n ? 'has a feature that is not known' : null;
}

/** A compressed cluster: a place to the byte, a length in sectors of 512, raw deflate. */
async function unpack(source: ByteSource, entry: bigint, clusterBits: number): Promise<Uint8Array> {
  const placeBits = BigInt(62 - (clusterBits - 8));
  const place = Number(entry & ((1n << placeBits) - 1n));
  const sectors = Number((entry & (COMPRESSED - 1n)) >> placeBits) + 1;
  const length = Math.max(0, Math.min(sectors * 512 - (place % 512), source.size - place));
  const packed = await source.read(place, length);
  const clusterSize = 2 ** clusterBits;
  try {
    // An output of fixed length: whatever the bytes say, no more than a cluster comes out.
    const bytes = inflateSync(packed, { out: new Uint8Array(clusterSize) });
    if (bytes.length === clusterSize) return bytes;
  } catch {
    // The refusal follows below: a cluster that can't be unpacked counts as missing.
  }
  throw new ImageDamage('one of its compressed clusters can’t be unpacked');
}
