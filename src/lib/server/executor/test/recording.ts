import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { basename, join } from 'node:path';

/** One thing that a program did to the files of a folder, in the order of its system calls. */
export type FileEvent =
  | { kind: 'create'; inode: number; name: string }
  | { kind: 'write'; inode: number; offset: number; bytes: Uint8Array }
  | { kind: 'truncate'; inode: number; size: number }
  | { kind: 'flush'; inode: number }
  | { kind: 'flush-folder' }
  | { kind: 'rename' | 'link'; name: string; to: string }
  | { kind: 'unlink'; name: string };

const KINDS = [
  '',
  'create',
  'write',
  'truncate',
  'flush',
  'flush-folder',
  'rename',
  'link',
  'unlink',
] as const;
const SOURCE = 'scripts/test/recorder.c';
const HEAD = 36;

/**
 * Runs a program, and records what it does to a folder without folders in it.
 *
 * @param work a folder for what the recorder needs itself
 */
export function record(folder: string, work: string, command: string, args: string[]): FileEvent[] {
  const [library, log] = [join(work, 'recorder.so'), join(work, 'log')];
  execFileSync('gcc', ['-O1', '-Wall', '-Werror', '-shared', '-fPIC', '-o', library, SOURCE, '-ldl']);
  execFileSync(command, args, {
    env: { ...process.env, LD_PRELOAD: library, RECORD_FOLDER: folder, RECORD_LOG: log },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  return eventsIn(readFileSync(log));
}

function eventsIn(log: Buffer): FileEvent[] {
  const events: FileEvent[] = [];
  for (let at = 0; at < log.length;) {
    const kind = KINDS[log.readUInt32LE(at)];
    const names = [log.readUInt32LE(at + 4), log.readUInt32LE(at + 8)];
    const [inode, offset, length] = [12, 20, 28].map((field) => Number(log.readBigUInt64LE(at + field)));
    at += HEAD;
    const [name = '', to = ''] = names.map((size) => {
      const path = log.toString('utf8', at, at + size);
      at += size;
      return basename(path);
    });
    const bytes = new Uint8Array(log.subarray(at, at + (kind === 'write' ? length! : 0)));
    at += bytes.length;
    switch (kind) {
      case 'create':
        events.push({ kind, inode: inode!, name });
        break;
      case 'write':
        events.push({ kind, inode: inode!, offset: offset!, bytes });
        break;
      case 'truncate':
        events.push({ kind, inode: inode!, size: offset! });
        break;
      case 'flush':
        events.push({ kind, inode: inode! });
        break;
      case 'flush-folder':
        events.push({ kind });
        break;
      case 'rename':
      case 'link':
        events.push({ kind, name, to });
        break;
      case 'unlink':
        events.push({ kind, name });
        break;
      default:
        throw new Error('a record of a kind that is not known');
    }
  }
  return events;
}
