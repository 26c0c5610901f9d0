import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { makeFolderDurably, writeDurablySync } from '../../platform/durable';
import type { Config } from '../../platform/settings/config';
import type { BackupManifest } from './archive';

/**
 * A backup has a seal of the workshop that made it. Its key lies beside the workshop's key and is in no backup: whoever
 * has a backup has every key in it, and could seal it anew.
 */
const keyPath = ({ keyFile }: Pick<Config, 'keyFile'>): string => join(dirname(keyFile), 'backup-key.json');

interface KeyFile {
  /** 32 random bytes in hexadecimal. */
  key: string;
}

function keyIn(path: string): Buffer {
  const { key } = JSON.parse(readFileSync(path, 'utf8')) as KeyFile;
  if (!/^[0-9a-f]{64}$/.test(key)) throw new Error(`${path} holds no key of backups.`);
  return Buffer.from(key, 'hex');
}

const sealBy = (key: Buffer, manifest: BackupManifest): string =>
  createHmac('sha256', key)
    .update(JSON.stringify({ ...manifest, seal: undefined }))
    .digest('hex');

/** The manifest with its seal; the first one makes the key. */
export function sealManifest(config: Pick<Config, 'keyFile'>, manifest: BackupManifest): BackupManifest {
  const path = keyPath(config);
  if (!existsSync(path)) {
    makeFolderDurably(dirname(path));
    const file: KeyFile = { key: randomBytes(32).toString('hex') };
    try {
      writeDurablySync(path, JSON.stringify(file), { mode: 0o600, over: false });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    }
  }
  return { ...manifest, seal: sealBy(keyIn(path), manifest) };
}

/** Whether a backup is as this workshop made it. */
export function isSealedHere(config: Pick<Config, 'keyFile'>, manifest: BackupManifest): boolean {
  const path = keyPath(config);
  if (manifest.seal === undefined || !existsSync(path)) return false;
  const expected = Buffer.from(sealBy(keyIn(path), manifest), 'hex');
  return timingSafeEqual(Buffer.from(manifest.seal, 'hex'), expected);
}
