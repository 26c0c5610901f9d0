import { DAY, share, WHOLE } from '../../test/evidence';
import { readFileSync } from 'node:fs';
import { checkedSource, type ByteSource } from '../../images/source';
import { placeHoldings, readImage } from '../../holdings';

/** Number of mutated headers of a format; `npm run fuzz` asks for 20,000. */
export const MUTANTS = Number(process.env['MUTANTS']) || share(3_000, 10);

/** A generator of made-up numbers that starts alike in every run. */
export function numbers(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

/** The interesting values of a byte: a reader's bounds lie at them. */
const EDGES = [0x00, 0x01, 0x7f, 0x80, 0xff];

interface Fuzzed {
  read: number;
  refused: number;
  /** Number of those read that said what fills a volume: figures that fit each other. */
  filled: number;
  /** Codes of the refusals. */
  codes: Set<string>;
}

/** Properties of a format. */
interface Odd {
  /** Values that a byte takes as often as all others together. */
  values?: readonly number[];
  /** Brings checksums in line with the changes, so that what they guard is reached. */
  mended?: (image: Uint8Array, changes: Map<number, number>) => void;
  /** The other file that the image is in. */
  beside?: ByteSource;
}

/**
 * Reads `MUTANTS` variants of an image, each with one to eight bytes of its headers changed. Only the changes
 * are laid over the bytes, so a variant costs no copy of the image.
 */
export async function fuzz(
  image: Uint8Array,
  headers: [number, number][],
  seed: number,
  { values = EDGES, mended, beside }: Odd = {},
): Promise<Fuzzed> {
  const random = numbers(WHOLE ? seed : seed + 100 * DAY);
  const total = headers.reduce((sum, [, length]) => sum + length, 0);
  const result: Fuzzed = { read: 0, refused: 0, filled: 0, codes: new Set() };
  for (let mutant = 0; mutant < MUTANTS; mutant++) {
    const changes = new Map<number, number>();
    for (let i = 1 + Math.floor(random() * 8); i > 0; i--) {
      let at = Math.floor(random() * total);
      const header = headers.find(([, length]) => (at < length ? true : ((at -= length), false)))!;
      const value =
        random() < 0.5 ? values[Math.floor(random() * values.length)]! : Math.floor(random() * 256);
      changes.set(header[0] + at, value);
    }
    mended?.(image, changes);
    let bytesRead = 0;
    // The checked source throws where a read leaves the file; nothing of that may come out of the reader.
    const source = checkedSource(image.length, async (offset, length) => {
      bytesRead += length;
      const bytes = image.slice(offset, offset + length);
      for (const [at, value] of changes) if (at >= offset && at < offset + length) bytes[at - offset] = value;
      return bytes;
    });
    const outcome = await readImage(source, {
      machineName: 'fuzz',
      takenAt: '2026-11-20T09:30:00Z',
      ...(beside ? { beside: () => beside } : {}),
    });
    if (outcome.ok) {
      result.read++;
      const { survey, holdings } = outcome.value;
      if (holdings) {
        result.filled++;
        const placed = placeHoldings(survey, holdings);
        if (!placed.ok) throw new Error(`mutant ${mutant} of seed ${seed}: ${placed.problems[0]!.message}`);
      }
    } else {
      result.refused++;
      for (const { code, message } of outcome.problems) {
        result.codes.add(code);
        if (!code || !/[.]$/.test(message))
          throw new Error(`mutant ${mutant} of seed ${seed}: “${code}” “${message}”`);
      }
    }
    // Bounded work: no header makes the reader go over the image again and again.
    if (bytesRead > 4 * image.length + 2 ** 22)
      throw new Error(`mutant ${mutant} of seed ${seed} read ${bytesRead} bytes`);
  }
  return result;
}

export const bytesOf = (path: string): Uint8Array => new Uint8Array(readFileSync(path));
