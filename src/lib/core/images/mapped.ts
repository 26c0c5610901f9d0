import { checkedSource, type ByteSource } from './source';

/** Place of a unit of a disk: a byte of the file, zeros, or its bytes themselves where they had to be unpacked. */
export type MappedExtent = number | 'zeros' | Uint8Array;

/**
 * A disk of which each unit (cluster, grain, block) lies somewhere in a file. Units that follow each other there as
 * well are read at once: with small ones that saves thousands of reads.
 *
 * @param unit bytes
 */
export const mappedDisk = (
  file: ByteSource,
  size: number,
  unit: number,
  placeOf: (index: number) => Promise<MappedExtent>,
): ByteSource =>
  checkedSource(size, async (offset, length) => {
    const out = new Uint8Array(length);
    /** A stretch of the file that is still to be read, and where it goes. */
    let waiting = { from: 0, to: 0, length: 0 };
    const readWaiting = async (): Promise<void> => {
      if (waiting.length > 0) out.set(await file.read(waiting.from, waiting.length), waiting.to);
      waiting = { from: 0, to: 0, length: 0 };
    };
    for (let done = 0; done < length;) {
      const at = offset + done;
      const inUnit = at % unit;
      const take = Math.min(length - done, unit - inUnit);
      const place = await placeOf(Math.floor(at / unit));
      if (typeof place === 'number') {
        const from = place + inUnit;
        if (
          waiting.length === 0 ||
          waiting.from + waiting.length !== from ||
          waiting.to + waiting.length !== done
        ) {
          await readWaiting();
          waiting = { from, to: done, length: 0 };
        }
        waiting.length += take;
      } else if (place !== 'zeros') out.set(place.subarray(inUnit, inUnit + take), done);
      done += take;
    }
    await readWaiting();
    return out;
  });
