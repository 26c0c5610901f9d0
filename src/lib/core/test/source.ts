import { closeSync, openSync, readSync, statSync } from 'node:fs';
import { checkedSource, type ByteSource } from '../images/source';

/** A file as a source that counts what is read of it, for tests. */
export function openFileSource(path: string): ByteSource & { counter: { bytesRead: number } } {
  const counter = { bytesRead: 0 };
  const source = checkedSource(statSync(path).size, async (offset, length) => {
    const file = openSync(path, 'r');
    const bytes = new Uint8Array(length);
    counter.bytesRead += readSync(file, bytes, 0, length, offset);
    closeSync(file);
    return bytes;
  });
  return { ...source, counter };
}
