import { checkedSource, ReadBeyondEnd, type ByteSource } from '$core/images/source';
import { openPlain } from './openPlain';

/** A file that is read only, and its bytes; what is no plain file is refused, wherever a link leads. */
export interface OpenFile {
  source: ByteSource;
  close(): Promise<void>;
}

/** @throws as {@link openPlain} */
export async function openToRead(path: string): Promise<OpenFile> {
  const { file, stat } = await openPlain(path);
  const { size } = stat;
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
