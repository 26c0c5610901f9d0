import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { makeFolderDurably, writeDurablySync } from '../durable';
import type { Config } from '../settings/config';
import type { Issued } from './authority';

/** Folder of the workshop's authority and the server's certificate; servers with one data folder share it. */
export const getTlsFolder = ({ data }: Pick<Config, 'data'>): string => join(data, 'tls');
export const rootFile = (config: Pick<Config, 'data'>): string => join(getTlsFolder(config), 'root.json');
export const leafFile = (config: Pick<Config, 'data'>): string => join(getTlsFolder(config), 'server.json');

/**
 * Certificate and key in one file, so that neither is ever there without the other. null: there is none that can be
 * read.
 */
export function readIssued(path: string): Issued | null {
  if (!existsSync(path)) return null;
  const found = parsed(readFileSync(path, 'utf8'));
  if (typeof found.certificate === 'string' && typeof found.key === 'string')
    return { certificate: found.certificate, key: found.key };
  throw new Error(
    `${path} holds no certificate with its key. Put it back from a backup, or remove it to have a new one made.`,
  );
}

function parsed(text: string): Partial<Issued> {
  try {
    return (JSON.parse(text) ?? {}) as Partial<Issued>;
  } catch {
    return {};
  }
}

/** @param only a file that is there stays: two servers may begin at once. @returns what lies there now */
export function keepIssued(path: string, issued: Issued, { only }: { only: 'new' | 'newest' }): Issued {
  makeFolderDurably(dirname(path), 0o700);
  try {
    writeDurablySync(path, JSON.stringify(issued), { mode: 0o600, over: only === 'newest' });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  }
  return readIssued(path) ?? issued;
}
