import { viewOf } from '../../bytes';
import { NtfsDamage, type NtfsVolume } from '../../volumes/ntfs/volume';
import type { Beyond } from './ownershipScan';

const NAME = 0x30;
const ROOT = 5;
const DEEPEST = 64;
/** Number of those that are named. */
const NAMED = 3;

/** The files that lie beyond a cut, largest first, in a sentence. */
export async function describeHolders(volume: NtfsVolume, beyond: readonly Beyond[]): Promise<string> {
  const largest = [...beyond].sort((a, b) => b.clusters - a.clusters || a.record - b.record).slice(0, NAMED);
  const told: string[] = [];
  for (const { base, clusters, last } of largest)
    told.push(`${await pathOf(volume, base)} (${clusters} clusters, up to cluster ${last})`);
  return told.length === 0 ? '' : `Most of it: ${told.join('; ')}.`;
}

/** The path of a file by its record, with backslashes; one that can't be followed gives the record's number. */
export async function pathOf(volume: NtfsVolume, record: number): Promise<string> {
  const parts: string[] = [];
  try {
    for (let at = record; at !== ROOT && parts.length < DEEPEST;) {
      const { content } = await volume.stream(at, NAME);
      if (!('resident' in content) || content.resident.length < 0x42)
        throw new NtfsDamage('a name is damaged');
      const value = content.resident;
      const view = viewOf(value);
      const letters = Math.min(view.getUint8(0x40), (value.length - 0x42) / 2);
      let name = '';
      for (let i = 0; i < letters; i++) name += String.fromCharCode(view.getUint16(0x42 + 2 * i, true));
      parts.unshift(name);
      at = Number(view.getBigUint64(0, true) & 0xffffffffffffn);
    }
    return `\\${parts.join('\\')}`;
  } catch (error) {
    if (!(error instanceof NtfsDamage)) throw error;
    return `file record ${record}`;
  }
}
