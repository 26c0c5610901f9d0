import { viewOf } from '../../bytes';
import { computeExfatBootSum, REGION_SECTORS } from '../../volumes/exfat';
import type { Device } from '../devices/device';
import { NoRoom } from '../noRoom';
import { makeUpcaseTable } from './ntfs/system';

/** Description of an exFAT volume to be made. Bytes, where nothing else is said. */
export interface ExfatSpec {
  sectorSize: number;
  sectors: number;
  clusterSize: number;
  /** First sector of its partition. */
  first: number;
  label: string;
  used: number;
  seed: number;
}

const ENTRY = 32;
const MARKS = 64;

/** Writes an exFAT volume (domain facts 5) with one file that takes all that is to be in use. @throws NoRoom */
export async function formatExfat(device: Device, base: number, spec: ExfatSpec): Promise<number> {
  const { sectorSize, sectors, clusterSize } = spec;
  const perCluster = clusterSize / sectorSize;
  const fatAt = 128;
  const fatSectors = Math.ceil((4 * (Math.floor(sectors / perCluster) + 2)) / sectorSize);
  const heapAt = Math.ceil((fatAt + fatSectors) / perCluster) * perCluster;
  const clusters = Math.floor((sectors - heapAt) / perCluster);
  const upcase = makeUpcaseTable();
  const bitmapBytes = Math.ceil(clusters / 8);
  const count = (bytes: number) => Math.ceil(bytes / clusterSize);
  const bitmapAt = 2;
  const upcaseAt = bitmapAt + count(bitmapBytes);
  const rootAt = upcaseAt + count(upcase.length);
  const fileAt = rootAt + 1;
  const wanted = Math.min(clusters, Math.floor((spec.used - heapAt * sectorSize) / clusterSize));
  const fileClusters = Math.max(0, wanted - (fileAt - 2));
  const end = fileAt + fileClusters;
  if (clusters < fileAt || end - 2 > clusters) throw new NoRoom('clusters');

  const put = async (at: number, bytes: Uint8Array) => {
    const whole = new Uint8Array(Math.ceil(bytes.length / device.sectorSize) * device.sectorSize);
    whole.set(bytes);
    await device.write(base + at, whole);
  };
  const placeOf = (cluster: number) => heapAt * sectorSize + (cluster - 2) * clusterSize;

  // Something may have lain where a volume is made anew.
  if (fileClusters === 0) await device.zero(base, placeOf(rootAt) + clusterSize);
  // Only chains that are not marked as lying in one piece stand in the table.
  const table = new Uint8Array(4 * fileAt);
  const entries = viewOf(table);
  entries.setUint32(0, 0xfffffff8, true);
  entries.setUint32(4, 0xffffffff, true);
  for (const [from, until] of [
    [bitmapAt, upcaseAt],
    [upcaseAt, rootAt],
    [rootAt, fileAt],
  ] as const)
    for (let i = from; i < until; i++) entries.setUint32(4 * i, i + 1 === until ? 0xffffffff : i + 1, true);
  await put(fatAt * sectorSize, table);

  const bitmap = new Uint8Array(bitmapBytes);
  const used = end - 2;
  bitmap.fill(0xff, 0, used >> 3);
  if (used & 7) bitmap[used >> 3] = (1 << (used & 7)) - 1;
  await put(placeOf(bitmapAt), bitmap);
  await put(placeOf(upcaseAt), upcase);
  await put(placeOf(rootAt), root(spec, { bitmapAt, bitmapBytes, upcaseAt, upcase, fileAt, fileClusters }));
  for (let i = 0; i < Math.min(MARKS, fileClusters); i++) {
    const cluster = fileAt + Math.floor((i * fileClusters) / MARKS);
    await put(placeOf(cluster), new TextEncoder().encode(`Saltmarsh Bench, mark ${i} of ${MARKS}.`));
  }
  const region = regionOf(spec, { fatAt, fatSectors, heapAt, clusters, rootAt });
  await put(0, region);
  await put(region.length, region);
  return fileClusters > 0 ? 1 : 0;
}

function regionOf(
  { sectorSize, sectors, clusterSize, first, seed }: ExfatSpec,
  geo: { fatAt: number; fatSectors: number; heapAt: number; clusters: number; rootAt: number },
): Uint8Array {
  const region = new Uint8Array(REGION_SECTORS * sectorSize);
  const view = viewOf(region);
  region.set([0xeb, 0x76, 0x90]);
  region.set(new TextEncoder().encode('EXFAT   '), 3);
  view.setBigUint64(64, BigInt(first), true);
  view.setBigUint64(72, BigInt(sectors), true);
  view.setUint32(80, geo.fatAt, true);
  view.setUint32(84, geo.fatSectors, true);
  view.setUint32(88, geo.heapAt, true);
  view.setUint32(92, geo.clusters, true);
  view.setUint32(96, geo.rootAt, true);
  view.setUint32(100, seed >>> 0, true);
  view.setUint16(104, 0x0100, true);
  region[108] = Math.log2(sectorSize);
  region[109] = Math.log2(clusterSize / sectorSize);
  region[110] = 1;
  region[111] = 0x80;
  region[112] = 0xff;
  view.setUint16(510, 0xaa55, true);
  // The sectors behind the first end in a mark of their own.
  for (let i = 1; i < 9; i++) view.setUint32((i + 1) * sectorSize - 4, 0xaa550000, true);
  const sum = computeExfatBootSum(region, sectorSize);
  for (let at = 11 * sectorSize; at < 12 * sectorSize; at += 4) view.setUint32(at, sum, true);
  return region;
}

function root(
  { label, clusterSize }: ExfatSpec,
  geo: {
    bitmapAt: number;
    bitmapBytes: number;
    upcaseAt: number;
    upcase: Uint8Array;
    fileAt: number;
    fileClusters: number;
  },
): Uint8Array {
  const bytes = new Uint8Array(8 * ENTRY);
  const view = viewOf(bytes);
  const text = label.slice(0, 11);
  bytes[0] = label === '' ? 0x03 : 0x83;
  bytes[1] = text.length;
  for (let i = 0; i < text.length; i++) view.setUint16(2 + 2 * i, text.charCodeAt(i), true);
  bytes[ENTRY] = 0x81;
  view.setUint32(ENTRY + 20, geo.bitmapAt, true);
  view.setBigUint64(ENTRY + 24, BigInt(geo.bitmapBytes), true);
  bytes[2 * ENTRY] = 0x82;
  view.setUint32(2 * ENTRY + 4, turned(geo.upcase), true);
  view.setUint32(2 * ENTRY + 20, geo.upcaseAt, true);
  view.setBigUint64(2 * ENTRY + 24, BigInt(geo.upcase.length), true);
  if (geo.fileClusters === 0) return bytes;
  const set = bytes.subarray(3 * ENTRY, 6 * ENTRY);
  const name = 'idents.rec';
  const inSet = viewOf(set);
  const size = BigInt(geo.fileClusters * clusterSize);
  set[0] = 0x85;
  set[1] = 2;
  inSet.setUint16(4, 0x20, true);
  for (const at of [8, 12, 16]) inSet.setUint32(at, 0x5d624000, true);
  set[ENTRY] = 0xc0;
  set[ENTRY + 1] = 0x03;
  set[ENTRY + 3] = name.length;
  inSet.setUint16(ENTRY + 4, nameHash(name), true);
  inSet.setBigUint64(ENTRY + 8, size, true);
  inSet.setUint32(ENTRY + 20, geo.fileAt, true);
  inSet.setBigUint64(ENTRY + 24, size, true);
  set[2 * ENTRY] = 0xc1;
  for (let i = 0; i < name.length; i++) inSet.setUint16(2 * ENTRY + 2 + 2 * i, name.charCodeAt(i), true);
  let sum = 0;
  set.forEach((byte, i) => {
    if (i !== 2 && i !== 3) sum = (((sum << 15) | (sum >>> 1)) + byte) & 0xffff;
  });
  inSet.setUint16(2, sum, true);
  return bytes;
}

/** A 32-bit sum, turned to the right with each byte. */
function turned(bytes: Uint8Array): number {
  let sum = 0;
  for (const byte of bytes) sum = (((sum << 31) | (sum >>> 1)) + byte) >>> 0;
  return sum;
}

function nameHash(name: string): number {
  let hash = 0;
  for (const letter of name.toUpperCase())
    for (const byte of [letter.charCodeAt(0) & 0xff, letter.charCodeAt(0) >> 8])
      hash = (((hash << 15) | (hash >>> 1)) + byte) & 0xffff;
  return hash;
}
