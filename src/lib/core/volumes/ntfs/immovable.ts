import { Folder } from './directory';
import { NtfsDamage, type NtfsVolume } from './volume';

const ROOT = 5;
const EXTEND = 11;
/** Records 0 to 23 are the file system's own; these have names (domain facts 4). */
const OWN_RECORDS = 24;
const OWN_NAMES = [
  '$MFT',
  '$MFTMirr',
  '$LogFile',
  '$Volume',
  '$AttrDef',
  '',
  '$Bitmap',
  '$Boot',
  '$BadClus',
  '$Secure',
  '$UpCase',
  '$Extend',
];
/** Windows holds these open as long as it runs. */
const HELD_OPEN = ['pagefile.sys', 'hiberfil.sys', 'swapfile.sys'];
/** Names of the areas of shadow copies, in \System Volume Information (domain facts 4 and 7). */
const SHADOW_COPIES = '{3808876b-c176-4e48-b7ae-04046e6cc752}';
const MAX_NAMES = 10_000;
const MAX_FOLDERS = 64;

/**
 * What keeps Windows from making a volume smaller: the end of the last cluster that it does not move, and whose that
 * is.
 */
export interface Immovable {
  /** Clusters from the volume's start. */
  end: number;
  /** Path of the file, with a backslash first. */
  file: string;
}

/**
 * The last cluster that Windows does not move while it runs: its own
 * files (but the root folder, which is moved like any), the page and hibernation files, the areas of shadow copies
 * (domain facts 7). Ordinary files are moved when a volume is shrunk.
 *
 * @throws NtfsDamage where one of them can't be read: then nothing is known
 */
export async function lastImmovable(volume: NtfsVolume, root: Folder): Promise<Immovable> {
  const records = new Map<number, string>();
  for (let record = 0; record < OWN_RECORDS; record++)
    if (record !== ROOT) records.set(record, `\\${OWN_NAMES[record] ?? `record ${record}`}`);
  for (const { record, path } of await below(volume, EXTEND, '\\$Extend')) records.set(record, path);
  for (const name of HELD_OPEN) {
    const entry = await root.find(name);
    if (entry) records.set(entry.record, `\\${name}`);
  }
  const information = await root.find('System Volume Information');
  if (information?.folder) {
    for (const { name, record } of await (await Folder.open(volume, information.record)).list(MAX_NAMES)) {
      if (name.toLowerCase().includes(SHADOW_COPIES))
        records.set(record, `\\System Volume Information\\${name}`);
    }
  }
  let last: Immovable = { end: 0, file: '' };
  for (const [record, file] of records) {
    for (const { lcn, clusters } of await volume.runsOf(record))
      if (lcn !== null && lcn + clusters > last.end) last = { end: lcn + clusters, file };
  }
  return last;
}

/** Everything in a folder of the file system's own, and in those within. */
async function below(
  volume: NtfsVolume,
  record: number,
  path: string,
): Promise<{ record: number; path: string }[]> {
  const found: { record: number; path: string }[] = [];
  const waiting = [{ record, path }];
  let folders = 0;
  for (let folder = waiting.pop(); folder !== undefined; folder = waiting.pop()) {
    if (++folders > MAX_FOLDERS) throw new NtfsDamage('$Extend holds more folders than any');
    for (const entry of await (await Folder.open(volume, folder.record)).list(MAX_NAMES)) {
      const one = { record: entry.record, path: `${folder.path}\\${entry.name}` };
      found.push(one);
      if (entry.folder) waiting.push(one);
    }
  }
  return found;
}
