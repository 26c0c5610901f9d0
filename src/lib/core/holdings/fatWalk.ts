import { concatBytes, viewOf } from '../bytes';
import type { ByteSource } from '../images/source';
import { parseFatBoot, type FatBoot } from '../volumes/fat';
import { decodeOem } from '../volumes/oemText';
import { textOfUnits } from '../wellFormed';
import { dayOfFat } from './days';
import { walkFolders, type ChainedVolume, type Entry, type FolderPlace } from './walk';

const ENTRY = 32;
const FLAG = { label: 0x08, folder: 0x10, longName: 0x0f } as const;
const DELETED = 0xe5;
/** A folder has at most 65,536 entries. */
const MAX_FOLDER_BYTES = 65_536 * ENTRY;
/** Bytes of the table that are read at once, and pieces of it that are kept. */
const TABLE_PIECE = 65_536;
const MAX_PIECES = 256;
/** Positions of the units of a long name in each of its parts. */
const UNITS_AT = [1, 3, 5, 7, 9, 14, 16, 18, 20, 22, 24, 28, 30];
/** FAT16 keeps its root folder in a place of its own, which has no cluster. */
const FIXED_ROOT = 0;

/**
 * What fills a FAT16 or FAT32 volume; null where its boot sector can't be right. @param progress called with folders
 * read
 */
export async function walkFat(source: ByteSource, sector: Uint8Array, progress: (folders: number) => void) {
  const boot = parseFatBoot(sector);
  if (!boot || boot.size > source.size) return null;
  const table = new Table(source, boot);
  const volume: ChainedVolume = {
    clusterSize: boot.clusterSize,
    size: boot.size,
    root: { cluster: 'cluster' in boot.root ? boot.root.cluster : FIXED_ROOT, contiguous: null },
    bytesOf: (place) => folderBytes(source, boot, table, place),
    entriesIn,
  };
  return { own: boot.dataAt, ...(await walkFolders(volume, progress)) };
}

async function folderBytes(source: ByteSource, boot: FatBoot, table: Table, { cluster }: FolderPlace) {
  if (cluster === FIXED_ROOT)
    return 'at' in boot.root
      ? { bytes: await source.read(boot.root.at, boot.root.bytes), clusters: 0 }
      : null;
  const parts: Uint8Array[] = [];
  const most = Math.ceil(MAX_FOLDER_BYTES / boot.clusterSize);
  for (let at = cluster; at >= 2 && at < boot.clusters + 2; at = await table.next(at)) {
    if (parts.length >= most) return null; // it runs in a circle
    parts.push(await source.read(boot.dataAt + (at - 2) * boot.clusterSize, boot.clusterSize));
  }
  return parts.length === 0 ? null : { bytes: concatBytes(parts), clusters: parts.length };
}

/** The first allocation table, read where it is asked. */
class Table {
  private readonly pieces = new Map<number, DataView>();

  constructor(
    private readonly source: ByteSource,
    private readonly boot: FatBoot,
  ) {}

  /** The cluster behind one; beyond any that there is where the chain ends. */
  async next(cluster: number): Promise<number> {
    const { fatAt, entryBytes, clusters } = this.boot;
    const at = cluster * entryBytes;
    const first = at - (at % TABLE_PIECE);
    let piece = this.pieces.get(first);
    if (!piece) {
      const length = Math.min(TABLE_PIECE, (clusters + 2) * entryBytes - first);
      piece = viewOf(await this.source.read(fatAt + first, length));
      if (this.pieces.size >= MAX_PIECES) this.pieces.clear();
      this.pieces.set(first, piece);
    }
    return entryBytes === 4
      ? piece.getUint32(at - first, true) & 0x0fffffff
      : piece.getUint16(at - first, true);
  }
}

function* entriesIn(folder: Uint8Array): Generator<Entry> {
  let long: Uint8Array[] = [];
  for (let at = 0; at + ENTRY <= folder.length && folder[at] !== 0; at += ENTRY) {
    const entry = folder.subarray(at, at + ENTRY);
    const flags = entry[11]!;
    if (entry[0] !== DELETED && (flags & FLAG.longName) === FLAG.longName) {
      long.unshift(Uint8Array.from(UNITS_AT.flatMap((unit) => [entry[unit]!, entry[unit + 1]!])));
      continue;
    }
    const parts = long;
    long = [];
    if (entry[0] === DELETED || (flags & FLAG.label) !== 0 || entry[0] === 0x2e) continue;
    const view = viewOf(entry);
    yield {
      name: longName(parts) || shortName(entry),
      folder: (flags & FLAG.folder) !== 0,
      size: view.getUint32(28, true),
      created: dayOfFat(view.getUint16(16, true)),
      changed: dayOfFat(view.getUint16(24, true)),
      opened: dayOfFat(view.getUint16(18, true)),
      // On FAT16 the upper half of the cluster's number is not used.
      place: { cluster: view.getUint16(20, true) * 65_536 + view.getUint16(26, true), contiguous: null },
    };
  }
}

function longName(parts: readonly Uint8Array[]): string {
  if (parts.length === 0 || parts.length > 20) return '';
  const units = concatBytes(parts);
  let end = 0;
  while (end + 2 <= units.length && (units[end] !== 0 || units[end + 1] !== 0)) end += 2;
  return textOfUnits(units.subarray(0, end));
}

/**
 * Windows keeps a short name in capitals, and in two bits of byte 12 that it was small, before and behind the point.
 */
function shortName(entry: Uint8Array): string {
  const part = (from: number, to: number, bit: number): string => {
    const text = decodeOem(entry.subarray(from, to));
    return (entry[12]! & bit) === 0 ? text : text.toLowerCase();
  };
  const [base, extension] = [part(0, 8, 0x08), part(8, 11, 0x10)];
  return extension === '' ? base || '_' : `${base}.${extension}`;
}
