import { createHash } from 'node:crypto';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { NewHash, NewStreamHash, StreamHash } from '$core/executor';

/**
 * BLAKE2b: without help of the processor it is twice as fast as SHA-256, and everything that is moved is hashed twice.
 */
const ALGORITHM = 'blake2b512';
const DIGITS = 64;
/** Streams up to here are hashed at once: handing them over would take longer. */
const SMALL = 64 * 1024;
/** Bytes that may wait to be hashed; whoever reads more waits. */
const MAX_WAITING = 48 * 2 ** 20;

export const newHash: NewHash = () => {
  const hash = createHash(ALGORITHM);
  return { update: (bytes) => void hash.update(bytes), digest: () => hash.digest('hex').slice(0, DIGITS) };
};

/** The thread's own program; as text, so that it needs no file beside whatever bundle this is in. */
const PROGRAM = `
const { createHash } = require('node:crypto');
const { parentPort } = require('node:worker_threads');
const open = new Map();
parentPort.on('message', ({ stream, bytes }) => {
  if (!open.has(stream)) open.set(stream, createHash('${ALGORITHM}'));
  if (bytes) {
    open.get(stream).update(bytes);
    parentPort.postMessage({ done: bytes.length });
    return;
  }
  parentPort.postMessage({ stream, digest: open.get(stream).digest('hex') });
  open.delete(stream);
});`;

/** Threads that hash at once: two files are as much as one disk brings. */
const THREADS = Math.min(2, availableParallelism());

/** Hashes streams in threads beside the one that reads; others are read meanwhile. */
export class Hasher {
  private readonly workers = Array.from({ length: THREADS }, () => this.begin());
  private readonly digests = new Map<number, { is(digest: string): void; failed(error: Error): void }>();
  private waiting = 0;
  private room: (() => void)[] = [];
  private streams = 0;
  private broken: Error | null = null;

  readonly newStreamHash: NewStreamHash = (size) => (size <= SMALL ? newHash() : this.stream());

  async close(): Promise<void> {
    for (const worker of this.workers) await worker.terminate();
  }

  private begin(): Worker {
    const worker = new Worker(PROGRAM, { eval: true, execArgv: [] });
    worker.unref();
    worker.on('message', (told: { done: number } | { stream: number; digest: string }) => {
      if ('done' in told) {
        this.waiting -= told.done;
        if (this.waiting < MAX_WAITING) for (const go of this.room.splice(0)) go();
        return;
      }
      this.digests.get(told.stream)!.is(told.digest.slice(0, DIGITS));
      this.digests.delete(told.stream);
    });
    // Whoever waits for room goes on, and learns of it with the digest.
    worker.on('error', (error) => {
      this.broken = error;
      for (const one of this.digests.values()) one.failed(error);
      for (const go of this.room.splice(0)) go();
    });
    return worker;
  }

  private stream(): StreamHash {
    const stream = this.streams++;
    const worker = this.workers[stream % this.workers.length]!;
    return {
      update: (bytes) => {
        // A part of something larger may be needed again by whoever has the rest.
        const own = bytes.byteLength === bytes.buffer.byteLength ? bytes : bytes.slice();
        this.waiting += own.length;
        worker.postMessage({ stream, bytes: own }, [own.buffer as ArrayBuffer]);
        return this.waiting < MAX_WAITING ? undefined : new Promise<void>((go) => this.room.push(go));
      },
      digest: () =>
        new Promise((resolve, reject) => {
          if (this.broken) return reject(this.broken);
          this.digests.set(stream, { is: resolve, failed: reject });
          worker.postMessage({ stream });
        }),
    };
  }
}
