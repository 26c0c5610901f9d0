import { viewOf } from '../../bytes';
import type { ByteSource } from '../../images/source';
import { parseFatBoot, type FatBoot } from '../../volumes/fat';

/** Entries of a table that are held in memory at most: 64 MiB of it. */
const MAX_ENTRIES = 16 * 2 ** 20;
/** Folders of a volume, and clusters of one of them, at most: what goes beyond was made to tire us. */
const MAX_FOLDERS = 500_000;
const MAX_FOLDER_BYTES = 2 * 2 ** 20;
const MAX_REFERENCES = 2_000_000;
const ENTRY = 32;
const PIECE = 2 ** 20;
export const FOLDER = 0x10;
const LABEL = 0x08;
const LONG_NAME = 0x0f;

/** A structure of a FAT volume that can't be used; `message` says which, for people. */
export class FatDamage extends Error {}

/** An entry of a folder that names a first cluster, by where it stands. */
export interface Reference {
  /**
   * The folder's cluster that holds the entry and the byte within it; of the root of FAT16, which has no cluster,
   * `null` and the byte of the volume.
   */
  cluster: number | null;
  at: number;
  /** The first cluster that it names. */
  first: number;
}

/** A FAT16 or FAT32 volume read through: its table, who names which first cluster, which clusters are folders. */
export interface FatVolume {
  boot: FatBoot;
  /** Number of tables, and bytes of each. */
  tables: number;
  tableBytes: number;
  /** The first table by cluster, without the four bits that are not part of a value. */
  next: Uint32Array;
  references: Reference[];
  /** Clusters of folders, in the order of each. */
  folders: number[][];
  /** First clusters of all chains. */
  starts: number[];
  /** For each cluster whether a chain holds it (1). */
  named: Uint8Array;
}

/** Values of the table from which on there is no next cluster; one below stands for a bad cluster. */
export const endFrom = ({ entryBytes }: FatBoot): number => (entryBytes === 2 ? 0xfff8 : 0x0ffffff8);
export const isBad = (boot: FatBoot, value: number): boolean => value === endFrom(boot) - 1;

/**
 * Reads a volume and follows every folder. What two files share, what leads to a free cluster or in a circle, and
 * tables that differ are damage: nothing is changed then.
 *
 * @throws FatDamage
 */
export async function readFatVolume(source: ByteSource, told: () => Promise<void>): Promise<FatVolume> {
  const sector = await source.read(0, 512);
  const boot = parseFatBoot(sector);
  if (!boot || boot.size > source.size) throw new FatDamage('its boot sector holds impossible values');
  if (boot.clusters + 2 > MAX_ENTRIES) throw new FatDamage('its table is longer than is followed here');
  const view = viewOf(sector);
  const tables = sector[16]!;
  const tableBytes = (view.getUint16(22, true) || view.getUint32(36, true)) * boot.bytesPerSector;
  if (boot.entryBytes === 4 && (view.getUint16(40, true) & 0x80) !== 0)
    throw new FatDamage('only one of its tables is kept up');
  const volume: FatVolume = {
    boot,
    tables,
    tableBytes,
    next: await tableOf(source, boot, tables, tableBytes, told),
    references: [],
    folders: [],
    starts: [],
    named: new Uint8Array(boot.clusters + 2),
  };
  await walk(source, volume, told);
  return volume;
}

async function tableOf(
  source: ByteSource,
  { fatAt, clusters, entryBytes }: FatBoot,
  tables: number,
  tableBytes: number,
  told: () => Promise<void>,
): Promise<Uint32Array> {
  const next = new Uint32Array(clusters + 2);
  const length = (clusters + 2) * entryBytes;
  for (let at = 0; at < length; at += PIECE) {
    await told();
    const bytes = await source.read(fatAt + at, Math.min(PIECE, length - at));
    for (let table = 1; table < tables; table++) {
      const other = await source.read(fatAt + table * tableBytes + at, bytes.length);
      if (bytes.some((byte, i) => byte !== other[i])) throw new FatDamage('its two tables differ');
    }
    const view = viewOf(bytes);
    for (let i = 0; i < bytes.length / entryBytes; i++)
      next[at / entryBytes + i] =
        entryBytes === 2 ? view.getUint16(2 * i, true) : view.getUint32(4 * i, true) & 0x0fffffff;
  }
  return next;
}

/** The clusters of a chain from its first; each is marked as named. @throws FatDamage */
function chainOf({ boot, next, named, starts }: FatVolume, first: number): number[] {
  const out: number[] = [];
  starts.push(first);
  for (let at = first; ;) {
    if (at < 2 || at >= boot.clusters + 2) throw new FatDamage('a file leads outside of the volume');
    if (named[at]) throw new FatDamage(`cluster ${at} belongs to two files`);
    named[at] = 1;
    out.push(at);
    const value = next[at]!;
    if (value >= endFrom(boot)) return out;
    if (value < 2 || isBad(boot, value)) throw new FatDamage('a file leads to a cluster that counts as free');
    at = value;
  }
}

async function walk(source: ByteSource, volume: FatVolume, told: () => Promise<void>): Promise<void> {
  const { boot } = volume;
  const open: number[] = [];
  if ('cluster' in boot.root) open.push(boot.root.cluster);
  else {
    const bytes = await source.read(boot.root.at, boot.root.bytes);
    entriesIn(volume, bytes, { cluster: null, at: boot.root.at }, open);
  }
  while (open.length > 0) {
    if (volume.folders.length >= MAX_FOLDERS) throw new FatDamage('it has more folders than are followed');
    const chain = chainOf(volume, open.pop()!);
    if (chain.length * boot.clusterSize > Math.max(MAX_FOLDER_BYTES, boot.clusterSize))
      throw new FatDamage('a folder is longer than any');
    volume.folders.push(chain);
    if (volume.folders.length % 256 === 0) await told();
    for (const cluster of chain) {
      const bytes = await source.read(boot.dataAt + (cluster - 2) * boot.clusterSize, boot.clusterSize);
      if (!entriesIn(volume, bytes, { cluster, at: 0 }, open)) break;
    }
  }
}

/** Takes in the entries of a piece of a folder. @returns whether more may follow */
function entriesIn(
  volume: FatVolume,
  bytes: Uint8Array,
  place: { cluster: number | null; at: number },
  open: number[],
): boolean {
  const view = viewOf(bytes);
  const wide = volume.boot.entryBytes === 4;
  for (let at = 0; at + ENTRY <= bytes.length; at += ENTRY) {
    if (bytes[at] === 0) return false;
    const attributes = bytes[at + 11]!;
    const long = (attributes & 0x3f) === LONG_NAME;
    if (bytes[at] === 0xe5 || long || (attributes & LABEL) !== 0) continue;
    const first = (wide ? view.getUint16(at + 20, true) * 65536 : 0) + view.getUint16(at + 26, true);
    // An empty file has no cluster, and the root is 0 where a folder names its parent.
    if (first === 0) continue;
    if (volume.references.length >= MAX_REFERENCES)
      throw new FatDamage('it has more names than are followed');
    volume.references.push({ cluster: place.cluster, at: place.at + at, first });
    const dots =
      bytes[at] === 0x2e && (bytes[at + 1] === 0x20 || (bytes[at + 1] === 0x2e && bytes[at + 2] === 0x20));
    if (dots) continue;
    if (attributes & FOLDER) open.push(first);
    else chainOf(volume, first);
  }
  return true;
}

/** References by the cluster of the folder that they stand in. */
export function groupByFolder(references: readonly Reference[]): Map<number | null, Reference[]> {
  const out = new Map<number | null, Reference[]>();
  for (const one of references) {
    const known = out.get(one.cluster);
    if (known) known.push(one);
    else out.set(one.cluster, [one]);
  }
  return out;
}
