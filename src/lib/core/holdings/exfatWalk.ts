import { concatBytes, viewOf } from '../bytes';
import type { ByteSource } from '../images/source';
import { readExfatChain, locateExfatCluster, parseExfatBoot, type ExfatBoot } from '../volumes/exfat';
import { textOfUnits } from '../wellFormed';
import { dayOfFat } from './days';
import { walkFolders, type ChainedVolume, type Entry, type FolderPlace } from './walk';

const ENTRY = 32;
/** Kinds of entries, those in use (exFAT 7): tables of the file system, and the three that make a file. */
const KIND = { bitmap: 0x81, upcase: 0x82, file: 0x85, stream: 0xc0, name: 0xc1 } as const;
const FOLDER = 0x10;
/** Bit of a stream: its clusters follow each other, and the table says nothing of them. */
const NO_CHAIN = 2;
/** A folder has at most 256 MiB (exFAT 7.4); what is looked at of one is bounded, and that is named. */
const MAX_FOLDER_BYTES = 32 * 2 ** 20;
const UNITS_IN_NAME = 15;

/** Holdings of an exFAT volume; null where its boot sector can't be right. @param progress called with folders read */
export async function walkExfat(source: ByteSource, sector: Uint8Array, progress: (folders: number) => void) {
  const boot = parseExfatBoot(sector);
  if (!boot || boot.size > source.size) return null;
  const root: FolderPlace = { cluster: boot.root, contiguous: null };
  const volume: ChainedVolume = {
    clusterSize: boot.clusterSize,
    size: boot.size,
    root,
    bytesOf: (place) => folderBytes(source, boot, place),
    entriesIn,
  };
  const first = await folderBytes(source, boot, root);
  const tables = first ? tablesIn(first.bytes, boot) : 0;
  return { own: boot.heapAt + tables, ...(await walkFolders(volume, progress)) };
}

async function folderBytes(source: ByteSource, boot: ExfatBoot, { cluster, contiguous }: FolderPlace) {
  const { clusterSize, clusters } = boot;
  const most = Math.floor(MAX_FOLDER_BYTES / clusterSize) || 1;
  if (contiguous !== null) {
    const count = Math.ceil(contiguous / clusterSize);
    if (cluster < 2 || count > most || cluster + count > clusters + 2) return null;
    return {
      bytes: await source.read(locateExfatCluster(boot, cluster), count * clusterSize),
      clusters: count,
    };
  }
  const parts: Uint8Array[] = [];
  for await (const one of readExfatChain(source, boot, cluster, most + 1)) {
    if (parts.length >= most) return null; // it runs in a circle
    parts.push(await source.read(locateExfatCluster(boot, one), clusterSize));
  }
  return parts.length === 0 ? null : { bytes: concatBytes(parts), clusters: parts.length };
}

/** Bytes of the bitmap and of the table of cases, which are named in the root folder and belong to no file. */
function tablesIn(root: Uint8Array, { clusterSize, size }: ExfatBoot): number {
  let bytes = 0;
  for (let at = 0; at + ENTRY <= root.length && root[at] !== 0; at += ENTRY) {
    if (root[at] !== KIND.bitmap && root[at] !== KIND.upcase) continue;
    const length = Math.min(size, Number(viewOf(root).getBigUint64(at + 24, true)));
    bytes += Math.ceil(length / clusterSize) * clusterSize;
  }
  return bytes;
}

function* entriesIn(folder: Uint8Array): Generator<Entry> {
  const view = viewOf(folder);
  for (let at = 0; at + ENTRY <= folder.length && folder[at] !== 0;) {
    const file = at;
    at += ENTRY;
    if (folder[file] !== KIND.file) continue;
    // A name of 255 units takes 17 entries behind that of the stream.
    const end = Math.min(folder.length, at + ENTRY * Math.min(18, folder[file + 1]!));
    if (folder[at] !== KIND.stream) continue;
    const stream = at;
    const names: Uint8Array[] = [];
    for (at += ENTRY; at + ENTRY <= end && folder[at] === KIND.name; at += ENTRY)
      names.push(folder.subarray(at + 2, at + 2 + 2 * UNITS_IN_NAME));
    const units = concatBytes(names).subarray(0, 2 * folder[stream + 3]!);
    const size = Number(view.getBigUint64(stream + 24, true));
    const isFolder = (view.getUint16(file + 4, true) & FOLDER) !== 0;
    const contiguous = (folder[stream + 1]! & NO_CHAIN) !== 0 ? size : null;
    yield {
      name: textOfUnits(units) || '_',
      folder: isFolder,
      size,
      // The upper half of a time is its date.
      created: dayOfFat(view.getUint16(file + 10, true)),
      changed: dayOfFat(view.getUint16(file + 14, true)),
      opened: dayOfFat(view.getUint16(file + 18, true)),
      place: { cluster: view.getUint32(stream + 20, true), contiguous },
    };
  }
}
