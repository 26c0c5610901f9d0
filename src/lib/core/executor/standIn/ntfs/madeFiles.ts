import { viewOf } from '../../../bytes';
import type { Made } from '../files';
import { countOf, runsOf, type Clusters } from './allocator';
import { FLAG, makeNonResident, resident, roundUp, TYPE, units, type StandInAttribute } from './attribute';
import { listBytes, type ListEntry } from '../../ntfs/attributeList';
import { FILE, type NameFacts, type Ref } from './fileRecord';
import type { StandInVolume } from './volume';

const SCATTERED_RUNS = 120;

/** A record, a name and the content for one of the made-up files; folders come before what is in them. */
export function make(volume: StandInVolume, one: Made): void {
  const cut = one.path.lastIndexOf('/');
  const [folder, name] = [one.path.slice(0, cut), one.path.slice(cut + 1)];
  const ref = volume.newRef();
  if (one.kind === 'folder') {
    volume.folders.set(one.path, { ref, entries: [] });
    volume.nameIn(folder, name, ref, { allocated: 0, size: 0, flags: FILE.folder });
    return;
  }
  volume.files++;
  const { attributes, facts } = contentOf(volume, one);
  const keys = [volume.nameIn(folder, name, ref, facts)];
  if (one.kind === 'file' && one.alsoAt) {
    const other = one.alsoAt.lastIndexOf('/');
    keys.push(volume.nameIn(one.alsoAt.slice(0, other), one.alsoAt.slice(other + 1), ref, facts));
  }
  const own = [volume.standard(facts.flags), ...keys.map((key) => resident(TYPE.name, key, '', true))];
  if (one.kind === 'scattered') overSeveral(volume, ref, own, attributes);
  else volume.record(ref, false, [...own, ...attributes], keys.length);
}

function contentOf(
  volume: StandInVolume,
  one: Exclude<Made, { kind: 'folder' }>,
): {
  attributes: StandInAttribute[];
  facts: Omit<NameFacts, 'parent' | 'name' | 'times'>;
} {
  const { clusterSize } = volume.spec;
  const facts = (size: number, allocated: number, flags = 0, reparseTag?: number) => ({
    size,
    allocated,
    flags: FILE.archive | flags,
    ...(reparseTag === undefined ? {} : { reparseTag }),
  });
  switch (one.kind) {
    case 'file': {
      const { bytes, streams = [] } = one;
      const small = bytes.length === 0 || (bytes.length <= 480 && streams.length === 0);
      const own = small ? resident(TYPE.data, bytes) : volume.stream(TYPE.data, bytes);
      const others = streams.map((stream) =>
        stream.bytes.length <= 60
          ? resident(TYPE.data, stream.bytes, stream.name)
          : volume.stream(TYPE.data, stream.bytes, stream.name),
      );
      const allocated = small ? roundUp(bytes.length, 8) : roundUp(bytes.length, clusterSize);
      return { attributes: [own, ...others], facts: facts(bytes.length, allocated) };
    }
    case 'sparse': {
      // Holes, a piece in the middle, holes up to the end.
      const parts = volume.clustersFor(one.piece.length);
      const all = Math.ceil(one.size / clusterSize);
      const before = Math.floor(all / 2 / 16) * 16;
      volume.contents.push({ parts, bytes: one.piece });
      const middle = runsOf(parts, before);
      const end = before + countOf(parts);
      const runs = [
        { vcn: 0, lcn: null, clusters: before },
        ...middle,
        { vcn: end, lcn: null, clusters: all - end },
      ];
      const stored = countOf(parts) * clusterSize;
      const sizes = { allocated: all * clusterSize, size: one.size, initialised: one.size, stored };
      return {
        attributes: [makeNonResident(TYPE.data, runs, sizes, { flags: FLAG.sparse })],
        facts: facts(one.size, stored, FILE.sparse),
      };
    }
    case 'compressed': {
      // Compression ends where clusters are larger than 4 KiB.
      if (clusterSize > 4096) {
        const bytes = new Uint8Array(one.blocks * 65536).fill(0x41);
        return { attributes: [volume.stream(TYPE.data, bytes)], facts: facts(bytes.length, bytes.length) };
      }
      const runs = [];
      for (let block = 0; block < one.blocks; block++) {
        const parts = volume.clustersFor(1);
        volume.contents.push({ parts, bytes: packedUnit(16 * clusterSize, block) });
        runs.push(
          { vcn: 16 * block, lcn: parts[0]!.first, clusters: 1 },
          { vcn: 16 * block + 1, lcn: null, clusters: 15 },
        );
      }
      const size = one.blocks * 16 * clusterSize;
      const sizes = { allocated: size, size, initialised: size, stored: one.blocks * clusterSize };
      return {
        attributes: [makeNonResident(TYPE.data, runs, sizes, { flags: FLAG.compressed })],
        facts: facts(size, sizes.stored, FILE.compressed),
      };
    }
    case 'scattered':
      return scattered(volume, one.clusters, facts);
    case 'link': {
      const tag = one.junction ? 0xa0000003 : 0xa000000c;
      return {
        attributes: [
          resident(TYPE.data, new Uint8Array(0)),
          resident(TYPE.reparse, reparse(tag, one.target)),
        ],
        facts: facts(0, 0, FILE.reparse, tag),
      };
    }
  }
}

/** A file whose clusters have one of somebody else between any two. */
function scattered(
  volume: StandInVolume,
  count: number,
  facts: (size: number, allocated: number) => Omit<NameFacts, 'parent' | 'name' | 'times'>,
): { attributes: StandInAttribute[]; facts: Omit<NameFacts, 'parent' | 'name' | 'times'> } {
  const { clusterSize } = volume.spec;
  const mine: Clusters[] = [];
  for (let i = 0; i < count; i++) {
    const [own, between] = [volume.clustersFor(1)[0]!, volume.clustersFor(1)[0]!];
    mine.push(own);
    volume.between.push(between);
  }
  // A loop, since `Uint8Array.from` takes ten times as long, and every stand-in waits for it.
  const bytes = new Uint8Array(count * clusterSize);
  for (let i = 0; i < bytes.length; i++) bytes[i] = 32 + Math.floor(volume.random() * 90);
  volume.contents.push({ parts: mine, bytes });
  const sizes = { allocated: bytes.length, size: bytes.length, initialised: bytes.length };
  const attributes: StandInAttribute[] = [];
  const runs = runsOf(mine);
  for (let i = 0; i < runs.length; i += SCATTERED_RUNS)
    attributes.push(makeNonResident(TYPE.data, runs.slice(i, i + SCATTERED_RUNS), sizes));
  return { attributes, facts: facts(bytes.length, bytes.length) };
}

/** A file that does not fit into one record: its parts lie in others, and a list says where. */
function overSeveral(
  volume: StandInVolume,
  ref: Ref,
  own: readonly StandInAttribute[],
  parts: readonly StandInAttribute[],
): void {
  const others = parts.map((attribute) => ({ attribute, at: volume.newRef() }));
  for (const { attribute, at } of others) volume.record(at, false, [attribute], 0, ref);
  const entry = (
    { type, name, lowest }: StandInAttribute,
    id: number,
    { number, sequence }: Ref,
  ): ListEntry => ({
    ...{ type, name, lowestVcn: lowest },
    ...{ record: number, sequence, id },
  });
  const entries = [
    ...own.map((attribute, i) => entry(attribute, i === 0 ? 0 : i + 1, ref)),
    ...others.map(({ attribute, at }) => entry(attribute, 0, at)),
  ];
  volume.record(ref, false, [...own, resident(TYPE.list, listBytes(entries))]);
}

/** A compression unit of one letter for each 4 KiB: each is a letter and one long repetition of it. */
function packedUnit(length: number, block: number): Uint8Array {
  const chunks = length / 4096;
  const bytes = new Uint8Array(6 * chunks + 2);
  for (let i = 0; i < chunks; i++)
    bytes.set([0x03, 0xb0, 0x02, 0x41 + ((block + i) % 26), 0xfc, 0x0f], 6 * i);
  return bytes;
}

function reparse(tag: number, target: string): Uint8Array {
  const symlink = tag === 0xa000000c;
  const path = units(symlink ? target.replaceAll('/', '\\') : `\\??\\C:${target.replaceAll('/', '\\')}`);
  const head = symlink ? 20 : 16;
  const bytes = new Uint8Array(head + 2 * path.length + 4);
  const view = viewOf(bytes);
  view.setUint32(0, tag, true);
  view.setUint16(4, bytes.length - 8, true);
  view.setUint16(10, path.length, true);
  view.setUint16(12, path.length + 2, true);
  view.setUint16(14, path.length, true);
  if (symlink) view.setUint32(16, 1, true);
  bytes.set(path, head);
  bytes.set(path, head + path.length + 2);
  return bytes;
}
