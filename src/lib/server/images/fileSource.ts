import { constants } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import { checkedSource, ReadBeyondEnd, type ByteSource } from '$core/images/source';

/** A file that is read only, and its bytes; a symbolic link is refused, wherever it leads. */
export interface OpenFile {
  source: ByteSource;
  close(): Promise<void>;
}

/** @throws the system's error, `ELOOP` for a symbolic link */
export async function openToRead(path: string): Promise<OpenFile> {
  const file: FileHandle = await open(path, constants.O_RDONLY | constants.O_NOFOLLOW);
  const { size } = await file.stat();
  const source = checkedSource(size, async (offset, length) => {
    const bytes = new Uint8Array(Buffer.allocUnsafeSlow(length).buffer);
    for (let done = 0; done < length;) {
      const { bytesRead } = await file.read(bytes, done, length - done, offset + done);
      // It was cut short since it was opened.
      if (bytesRead === 0) throw new ReadBeyondEnd(offset, length, offset + done);
      done += bytesRead;
    }
    return bytes;
  });
  return { source, close: () => file.close() };
}
