import { createHmac, randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { makeFolderDurably, writeDurablySync } from '../../platform/durable';
import { config } from '../../platform/settings/config';

/**
 * What this workshop seals its histories with. It is kept in a file and not in the database, so that whoever can write
 * to the one can't forge what the other proves. Servers of one workshop share the file (`GENTLE_TIDE_KEY_FILE`).
 */
interface KeyFile {
  /** 32 random bytes in hexadecimal. */
  key: string;
  /** Databases whose histories from before there was a key were taken over; that is done once. */
  adopted: string[];
}

let known: { path: string; file: KeyFile } | null = null;

const pathOf = (): string => config().keyFile;

function keyFile(): KeyFile {
  const path = pathOf();
  if (known?.path === path) return known.file;
  if (!existsSync(path)) begin(path);
  const file = JSON.parse(readFileSync(path, 'utf8')) as KeyFile;
  if (!/^[0-9a-f]{64}$/.test(file.key)) throw new Error(`${path} holds no key of this bench.`);
  known = { path, file };
  return file;
}

/** Two servers may begin at once: a file that is there is never written over, and none is seen half-written. */
function begin(path: string): void {
  makeFolderDurably(dirname(path));
  const file: KeyFile = { key: randomBytes(32).toString('hex'), adopted: [] };
  try {
    writeDurablySync(path, JSON.stringify(file), { mode: 0o600, over: false });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  }
}

/** A seal of this workshop over some values, in hexadecimal. */
export const sealed = (...values: readonly unknown[]): string =>
  createHmac('sha256', Buffer.from(keyFile().key, 'hex')).update(JSON.stringify(values)).digest('hex');

/**
 * What else may be derived from the workshop's key, such as what hashes of PINs are made with. Never the key itself:
 * one use can't give another away.
 */
export const deriveSecret = (): Buffer =>
  createHmac('sha256', Buffer.from(keyFile().key, 'hex')).update('secrets').digest();

/** Whether the histories of a database were taken over already. */
export const isAdopted = (database: string): boolean => keyFile().adopted.includes(database);

export function setAdopted(database: string): void {
  const { key, adopted } = keyFile();
  const path = pathOf();
  const file: KeyFile = { key, adopted: [...new Set([...adopted, database])] };
  writeDurablySync(path, JSON.stringify(file), { mode: 0o600, over: true });
  known = { path, file };
}
