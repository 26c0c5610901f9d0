import { Folder } from './directory';
import { NtfsDamage, type NtfsVolume } from './volume';

const ROOT = 5;
const EXTEND = 11;
/** Records 0 to 23 are the file system's own. */
const OWN_RECORDS = 24;
/** Windows holds these open as long as it runs. */
const HELD_OPEN = ['pagefile.sys', 'hiberfil.sys', 'swapfile.sys'];
/** What the areas of shadow copies are called, in \System Volume Information (domain facts 4 and 7). */
const SHADOW_COPIES = '{3808876b-c176-4e48-b7ae-04046e6cc752}';
const MOST_NAMES = 10_000;
const MOST_FOLDERS = 64;

/**
 * The end of the last cluster that Windows does not move while it runs, in clusters from the volume's start: its own
 * files (but the root folder, which is moved like any), the page and hibernation files, the areas of shadow copies
 * (domain facts 7). Ordinary files are moved when a volume is shrunk.
 *
 * @throws NtfsDamage where one of them can't be read: then nothing is known
 */
export async function immovableEnd(volume: NtfsVolume, root: Folder): Promise<number> {
  const records = new Set<number>();
  for (let record = 0; record < OWN_RECORDS; record++) if (record !== ROOT) records.add(record);
  for (const record of await below(volume, EXTEND)) records.add(record);
  for (const name of HELD_OPEN) {
    const entry = await root.find(name);
    if (entry) records.add(entry.record);
  }
  const information = await root.find('System Volume Information');
  if (information?.folder) {
    for (const { name, record } of await (await Folder.open(volume, information.record)).list(MOST_NAMES)) {
      if (name.toLowerCase().includes(SHADOW_COPIES)) records.add(record);
    }
  }
  let end = 0;
  for (const record of records) {
    for (const { lcn, clusters } of await volume.runsOf(record)) {
      if (lcn !== null) end = Math.max(end, lcn + clusters);
    }
  }
  return end;
}

/** Everything in a folder of the file system's own, and in those within. */
async function below(volume: NtfsVolume, record: number): Promise<number[]> {
  const found: number[] = [];
  const waiting = [record];
  let folders = 0;
  for (let folder = waiting.pop(); folder !== undefined; folder = waiting.pop()) {
    if (++folders > MOST_FOLDERS) throw new NtfsDamage('$Extend holds more folders than any');
    for (const entry of await (await Folder.open(volume, folder)).list(MOST_NAMES)) {
      found.push(entry.record);
      if (entry.folder) waiting.push(entry.record);
    }
  }
  return found;
}
