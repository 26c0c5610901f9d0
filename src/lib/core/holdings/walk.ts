import { formatDay } from './days';
import { makeNoMonths, type Walked } from './gathered';
import { Largest } from './largest';
import { bucketOf } from './months';

/** Entry of a folder on FAT or exFAT. Days as in `days.ts`. */
export interface Entry {
  name: string;
  folder: boolean;
  /** Bytes of a file; a folder's are told by its chain. */
  size: number;
  created: number;
  changed: number;
  opened: number;
  /** Start of it, for whoever reads it. */
  place: FolderPlace;
}

export interface FolderPlace {
  cluster: number;
  /** Its clusters follow each other, so many bytes long; null: the table says where it goes on. */
  contiguous: number | null;
}

/** A volume whose folders lie in clusters, one behind the other or chained by a table. */
export interface ChainedVolume {
  clusterSize: number;
  /** Bytes of the volume: all its files can't have more. */
  size: number;
  root: FolderPlace;
  /** A folder's bytes; null: it can't be read. Its length says how many clusters it has. */
  bytesOf: (place: FolderPlace) => Promise<{ bytes: Uint8Array; clusters: number } | null>;
  entriesIn: (folder: Uint8Array) => Generator<Entry>;
}

const MAX_FOLDERS_WALKED = 500_000;
const MAX_ENTRIES = 5_000_000;
const LARGE = 2 ** 20;

/**
 * Walks through every folder once, however they point at each other; gives what each holds, and how many could not be
 * read. A file has its length in whole clusters.
 */
export async function walkFolders(
  volume: ChainedVolume,
  progress: (folders: number) => void,
): Promise<{ walked: Walked; unread: number }> {
  const folders = [{ name: '', parent: 0, bytes: 0, files: 0, newest: 0, place: volume.root }];
  const seen = new Set([volume.root.cluster]);
  const months = makeNoMonths();
  const large = new Largest<Walked['largest'][number] & { entry: Entry }>();
  let [unread, entries, taken] = [0, 0, 0];
  for (let at = 0; at < folders.length; at++) {
    const folder = folders[at]!;
    const read = await volume.bytesOf(folder.place);
    if (!read || entries > MAX_ENTRIES) {
      unread++;
      continue;
    }
    folder.bytes += read.clusters * volume.clusterSize;
    for (const entry of volume.entriesIn(read.bytes)) {
      if (++entries > MAX_ENTRIES) break;
      if (entry.folder) {
        const { cluster } = entry.place;
        if (seen.has(cluster) || folders.length >= MAX_FOLDERS_WALKED) unread++;
        else
          folders.push({ name: entry.name, parent: at, bytes: 0, files: 0, newest: 0, place: entry.place });
        seen.add(cluster);
        continue;
      }
      const bytes = Math.ceil(entry.size / volume.clusterSize) * volume.clusterSize;
      // A length is what an entry says: more than the volume has can't be.
      if (taken + bytes > volume.size) {
        unread++;
        continue;
      }
      taken += bytes;
      folder.bytes += bytes;
      folder.files++;
      folder.newest = Math.max(folder.newest, entry.changed);
      months.created[bucketOf(entry.created || entry.changed)]! += bytes;
      months.changed[bucketOf(entry.changed)]! += bytes;
      months.files[bucketOf(entry.changed)]!++;
      if (bytes >= LARGE || at === 0) large.take({ folder: at, bytes, number: entries, entry });
    }
    progress(at);
  }
  const largest = large.kept();
  const byNumber = new Map(largest.map((one) => [one.number, one.entry]));
  const walked: Walked = {
    parents: Uint32Array.from(folders, ({ parent }) => parent),
    root: 0,
    bytes: Float64Array.from(folders, ({ bytes }) => bytes),
    files: Uint32Array.from(folders, ({ files }) => files),
    newest: Uint16Array.from(folders, ({ newest }) => newest),
    months,
    largest,
    nameOf: async (folder) => folders[folder]!.name,
    fileOf: async (number) => {
      const { name, created, changed, opened } = byNumber.get(number)!;
      return { name, created: formatDay(created), changed: formatDay(changed), opened: formatDay(opened) };
    },
  };
  return { walked, unread };
}
