import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';

/** A backup that lies in the data folder. */
export interface BackupFile {
  name: string;
  bytes: number;
  at: Date;
}

/** End of the names of backups and dumps; what is still being written has another. */
export const BACKUP_END = '.gtb';
export const DUMP_END = '.sql.gz';

/** Backups and dumps in a folder, the newest first; none where there is no such folder. */
export async function listBackups(folder: string): Promise<BackupFile[]> {
  const names = await readdir(folder).catch(() => []);
  const fitting = names.filter((name) => name.endsWith(BACKUP_END) || name.endsWith(DUMP_END));
  const files = await Promise.all(
    fitting.map(async (name) => {
      const { size, mtime } = await stat(join(folder, name));
      return { name, bytes: size, at: mtime };
    }),
  );
  return files.sort((a, b) => b.at.getTime() - a.at.getTime()).slice(0, 200);
}
