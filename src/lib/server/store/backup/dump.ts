import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { createReadStream, createWriteStream, rmSync } from 'node:fs';
import { dirname } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { createGunzip, createGzip } from 'node:zlib';
import { makeFolderDurably, placeDurably } from '../../platform/durable';
import { runTool } from './client';

/** All of it as it was at one instant, while servers go on writing (REPEATABLE READ); nothing is locked. */
const DUMP = [
  '--single-transaction',
  '--quick',
  '--skip-lock-tables',
  '--hex-blob',
  '--triggers',
  '--skip-routines',
  '--no-tablespaces',
  '--skip-dump-date',
];
/** Takes out who made a trigger: it is nobody's business elsewhere, and only that account could load it again. */
const WITHOUT_MAKERS = String.raw`s#^(/\*!50003 CREATE\*/ )/\*!50017 DEFINER=[^ ]+\*/ #\1#`;
/** No commands of the client's own: a dump is statements, and never runs a program. */
const LOAD = ['--batch', '--sandbox'];

/**
 * Dumps a database into a file (SQL, gzip), whole or not at all.
 * @throws ToolFailed, or what writing the file said
 */
export async function dumpInto(path: string, url: string, signal?: AbortSignal): Promise<void> {
  makeFolderDurably(dirname(path), 0o700);
  const part = `${path}.${randomBytes(4).toString('hex')}.part`;
  try {
    const sed = spawn('sed', ['--regexp-extended', '--unbuffered', WITHOUT_MAKERS], {
      stdio: ['pipe', 'pipe', 'inherit'],
    });
    const written = pipeline(
      sed.stdout,
      createGzip({ level: 3 }),
      createWriteStream(part, { mode: 0o600, flags: 'wx' }),
    );
    const dumped = runTool('mariadb-dump', url, DUMP, { to: sed.stdin, signal });
    const outcomes = await Promise.allSettled([dumped, written]);
    const failed = outcomes.find((one) => one.status === 'rejected');
    if (failed) throw failed.reason as Error;
    await placeDurably(part, path, { over: true });
  } finally {
    rmSync(part, { force: true });
  }
}

/** Loads a dump into a database that has nothing in it. @throws ToolFailed */
export async function loadDump(path: string, url: string, signal?: AbortSignal): Promise<void> {
  const file = createReadStream(path);
  const text = createGunzip();
  file.on('error', (error) => text.destroy(error));
  await runTool('mariadb', url, LOAD, { from: file.pipe(text), signal });
}
