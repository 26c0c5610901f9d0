import type { ByteSource } from '../images/source';
import { textOfUnits } from '../wellFormed';

export interface ExfatFacts {
  clusterSize: number;
  size: number;
  /** Bytes, or null where the allocation bitmap can't be found. */
  used: number | null;
  label: string;
}

const ENTRY = { bitmap: 0x81, label: 0x83 } as const;
const MOST_BITMAP = 128 * 1024 * 1024;
const PIECE = 1024 * 1024;

/**
 * Reads size, label and used clusters of an exFAT volume: its root directory names the allocation bitmap.
 * The boot sector's own "percent in use" is a hint at best and is not believed. null where the boot sector
 * can't be right.
 */
export async function readExfat(source: ByteSource): Promise<ExfatFacts | null> {
  const boot = await source.read(0, 512);
  const view = new DataView(boot.buffer, boot.byteOffset, boot.byteLength);
  const sectorShift = view.getUint8(108);
  const clusterShift = view.getUint8(109);
  if (sectorShift < 9 || sectorShift > 12 || clusterShift > 25 - sectorShift) return null;
  const sector = 2 ** sectorShift;
  const clusterSize = sector * 2 ** clusterShift;
  const size = Number(view.getBigUint64(72, true)) * sector;
  const heapAt = view.getUint32(88, true) * sector;
  const clusters = view.getUint32(92, true);
  const root = view.getUint32(96, true);
  if (size > source.size || clusters === 0 || root < 2 || root > clusters + 1) return null;
  if (heapAt + clusters * clusterSize > size) return null;

  const at = (cluster: number) => heapAt + (cluster - 2) * clusterSize;
  const directory = await source.read(at(root), Math.min(clusterSize, PIECE));
  const facts: ExfatFacts = { clusterSize, size, used: null, label: '' };
  for (let entry = 0; entry + 32 <= directory.length && directory[entry] !== 0; entry += 32) {
    const record = new DataView(directory.buffer, directory.byteOffset + entry, 32);
    if (directory[entry] === ENTRY.label) {
      const units = Math.min(11, record.getUint8(1));
      facts.label = textOfUnits(directory.subarray(entry + 2, entry + 2 + 2 * units));
    }
    if (directory[entry] === ENTRY.bitmap) {
      const first = record.getUint32(20, true);
      if (first < 2 || first > clusters + 1) return null;
      const free = await countFree(source, at(first), clusters);
      // What lies before the cluster heap belongs to the file system: it counts as used.
      if (free !== null) facts.used = size - free * clusterSize;
    }
  }
  return facts;
}

async function countFree(source: ByteSource, at: number, clusters: number): Promise<number | null> {
  const bytes = Math.ceil(clusters / 8);
  if (bytes > MOST_BITMAP || at + bytes > source.size) return null;
  let used = 0;
  for (let done = 0; done < bytes; done += PIECE) {
    const piece = await source.read(at + done, Math.min(PIECE, bytes - done));
    piece.forEach((byte, i) => {
      const bits = Math.min(8, clusters - 8 * (done + i));
      for (let rest = byte & ((1 << bits) - 1); rest; rest &= rest - 1) used++;
    });
  }
  return clusters - used;
}
