import { randomFrom } from '../../random';

/** A made-up file or folder of the Saltmarsh Bench's world. */
export type Made =
  | { kind: 'folder'; path: string }
  | {
      kind: 'file';
      path: string;
      bytes: Uint8Array;
      streams?: { name: string; bytes: Uint8Array }[];
      alsoAt?: string;
    }
  | { kind: 'sparse'; path: string; size: number; piece: Uint8Array }
  | { kind: 'compressed'; path: string; blocks: number }
  | { kind: 'scattered'; path: string; clusters: number }
  | { kind: 'link'; path: string; target: string; junction: boolean };

const WORDS = [
  'tide',
  'harbour',
  'ledger',
  'ferry',
  'lantern',
  'rigging',
  'salt',
  'marsh',
  'buoy',
  'chart',
  'mooring',
  'slipway',
  'gull',
  'anchor',
  'pier',
  'estuary',
  'kelp',
  'oyster',
  'tern',
  'wharf',
];
const ODD = [
  'Ünïcödé – Größe, naïve façade.txt',
  '潮汐表 2026.csv',
  'Приливы и отливы.txt',
  'emoji 🌊🛟 tide.txt',
  'a name with  two spaces, [brackets] & an ampersand.txt',
  'no extension',
  '.begins with a dot',
  'UPPER lower MiXeD.TxT',
  'ends in a tilde~',
  'percent%20sign and #hash.txt',
];

/** Text of a length, made of a few words: it can be told from any other, and packs well. */
function prose(random: () => number, length: number): Uint8Array {
  let text = '';
  while (text.length < length) text += `${WORDS[Math.floor(random() * WORDS.length)]} `;
  return new TextEncoder().encode(text.slice(0, length));
}

/** Files that are made up one by one: all at once they would take as much memory as they hold. */
export interface MadeUp {
  /** No more files and folders than this. */
  most: number;
  files: Iterable<Made>;
}

export const NO_FILES: MadeUp = { most: 0, files: [] };

const SYSTEM = ['/Windows', '/Windows/System32', '/Program Files', '/Users', '/Users/Public'];
const DEEP = 24;

/**
 * A tree of made-up files: folders, deep ones too, small files, long and odd names, links, streams beside a file's own,
 * one sparse, one compressed and one in many pieces. The same for the same seed.
 *
 * @param count about how many small files
 * @param bytes that they may hold together
 */
export const madeUpFiles = (seed: number, count: number, bytes: number, withSystem: boolean): MadeUp => ({
  most: count + Math.max(3, count / 60) + SYSTEM.length + DEEP + ODD.length + 8,
  files: filesFrom(seed, count, bytes, withSystem),
});

function* filesFrom(seed: number, count: number, most: number, withSystem: boolean): Generator<Made> {
  const random = randomFrom(seed);
  const pick = (list: readonly string[]) => list[Math.floor(random() * list.length)]!;
  const folders: string[] = [];
  const folder = (path: string): Made => {
    folders.push(path);
    return { kind: 'folder', path };
  };
  if (withSystem) yield* SYSTEM.map(folder);
  for (let i = 0; i < Math.max(3, count / 60); i++) {
    const parent = i < 3 ? '' : pick(folders);
    if (parent.length < 200) yield folder(`${parent}/${pick(WORDS)} ${pick(WORDS)} ${i}`);
  }
  let deep = '';
  for (let i = 0; i < Math.min(DEEP, count / 4); i++) yield folder((deep += `/${pick(WORDS)} ${i}`));
  let bytes = 0;
  for (let i = 0; i < count; i++) {
    // Most are so small that they lie in their record; a few have some hundred KiB.
    const size = Math.min(
      most - bytes,
      Math.floor(
        random() < 0.4 ? random() * 500 : random() < 0.98 ? random() ** 3 * 24_000 : random() * 300_000,
      ),
    );
    bytes += size;
    const path = `${pick(folders)}/${pick(WORDS)} ${i}.${pick(['txt', 'csv', 'log', 'dat', 'ini'])}`;
    const file: Extract<Made, { kind: 'file' }> = { kind: 'file', path, bytes: prose(random, size) };
    if (random() < 0.03) file.alsoAt = `${pick(folders)}/${pick(WORDS)} also ${i}.lnk`;
    if (random() < 0.03)
      file.streams = [
        { name: 'Zone.Identifier', bytes: new TextEncoder().encode('[ZoneTransfer]\r\nZoneId=3\r\n') },
        ...(random() < 0.3 ? [{ name: 'preview', bytes: prose(random, 9000) }] : []),
      ];
    yield file;
  }
  if (count < 20) return;
  for (const name of ODD) yield { kind: 'file', path: `${folders[0]}/${name}`, bytes: prose(random, 300) };
  yield { kind: 'file', path: `${folders[0]}/${'long '.repeat(50)}name`, bytes: prose(random, 2000) };
  yield { kind: 'link', path: `${folders[1]}/way to the first`, target: folders[0]!, junction: true };
  yield {
    kind: 'link',
    path: `${folders[1]}/way to a file`,
    target: `..${folders[0]}/no extension`,
    junction: false,
  };
  yield {
    kind: 'sparse',
    path: `${folders[2]}/soundings.sparse`,
    size: 64 * 2 ** 20,
    piece: prose(random, 5000),
  };
  yield { kind: 'compressed', path: `${folders[2]}/log book.txt`, blocks: 3 };
  yield { kind: 'scattered', path: `${folders[2]}/index.db`, clusters: 400 };
}
