import type { VolumeHoldings } from './document';

/** Parts of a volume's used bytes. `folders` + `own` + `other` = `used`, always. */
export interface Accounts {
  used: number;
  /** In files and folders to which a way leads from the root. */
  folders: number;
  /** The file system's own. */
  own: number;
  /**
   * In use, and not found in any folder: what could not be read, restore points that were not looked into, lost
   * clusters.
   */
  other: number;
}

/**
 * Where the used bytes are. Files measured by their length may come to more than is in use, since compressed ones take
 * less: what is too much is nobody's, and `folders` is bounded by what is in use.
 */
export function accountsOf({ used, own: told, folders }: VolumeHoldings): Accounts {
  const own = Math.min(told, used);
  const inFolders = Math.min(folders[0]!.bytes, used - own);
  return { used, folders: inFolders, own, other: used - own - inFolders };
}
