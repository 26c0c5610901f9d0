import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Readable, Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { readConnectionOptions } from '../database/database';

/** One of MariaDB's own tools could not do what it was asked; the sentence says what it said. */
export class ToolFailed extends Error {}

/** Characters that are kept of a tool's error. */
const MAX_SAID = 2000;

const quoted = (text: string): string => `"${text.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`;

/**
 * Runs one of MariaDB's tools on a database. Who it is to be stands in a file that nobody else reads, never on the
 * command line, which everybody on the machine sees.
 * @param url address of the database with account and password
 * @throws ToolFailed where it is not installed, or fails
 */
export async function runTool(
  tool: 'mariadb' | 'mariadb-dump',
  url: string,
  args: readonly string[],
  { from, to, signal }: { from?: Readable; to?: Writable; signal?: AbortSignal | undefined } = {},
): Promise<void> {
  const { host, port, user, password, database } = readConnectionOptions(url);
  const file = join(tmpdir(), `.gentle-tide-${randomBytes(8).toString('hex')}.cnf`);
  const lines = [
    '[client]',
    `host=${quoted(host ?? '')}`,
    `port=${port}`,
    `user=${quoted(user ?? '')}`,
    `password=${quoted(password ?? '')}`,
    'protocol=tcp',
    'default-character-set=utf8mb4',
  ];
  writeFileSync(file, `${lines.join('\n')}\n`, { mode: 0o600, flag: 'wx' });
  try {
    const child = spawn(tool, [`--defaults-file=${file}`, ...args, database ?? ''], {
      stdio: [from ? 'pipe' : 'ignore', to ? 'pipe' : 'ignore', 'pipe'],
      ...(signal && { signal }),
    });
    let said = '';
    child.stderr!.on('data', (part: Buffer) => (said = (said + part.toString()).slice(-MAX_SAID)));
    const ended = new Promise<void>((done, fail) => {
      child.once('error', (error: NodeJS.ErrnoException) =>
        fail(
          new ToolFailed(
            error.code === 'ENOENT'
              ? `${tool} is not installed; Debian has it in mariadb-client.`
              : error.name === 'AbortError'
                ? 'It was stopped.'
                : error.message,
          ),
        ),
      );
      child.once('close', (code) =>
        code === 0
          ? done()
          : fail(new ToolFailed(`${tool} failed: ${said.trim() || `it ended with ${code}`}`)),
      );
    });
    const streams = [
      ...(from && child.stdin ? [pipeline(from, child.stdin)] : []),
      ...(to && child.stdout ? [pipeline(child.stdout, to)] : []),
    ];
    const outcomes = await Promise.allSettled([ended, ...streams]);
    // A tool's own words are worth more than a broken pipe to it.
    const failed = outcomes.find((one) => one.status === 'rejected');
    if (failed) throw failed.reason as Error;
  } finally {
    rmSync(file, { force: true });
  }
}
