import { checkedSource, type ByteSource } from './source';

/** Several sources one behind the other, as one. */
export function joined(pieces: readonly ByteSource[]): ByteSource {
  const starts: number[] = [];
  let size = 0;
  for (const piece of pieces) {
    starts.push(size);
    size += piece.size;
  }
  return checkedSource(size, async (offset, length) => {
    const out = new Uint8Array(length);
    for (let done = 0; done < length;) {
      const at = offset + done;
      const index = starts.findLastIndex((start) => start <= at);
      const inPiece = at - starts[index]!;
      const take = Math.min(length - done, pieces[index]!.size - inPiece);
      out.set(await pieces[index]!.read(inPiece, take), done);
      done += take;
    }
    return out;
  });
}
