import { viewOf } from '../bytes';
import { ReadBeyondEnd, type ByteSource } from '../images/source';
import { parseNtfsBoot } from '../volumes/ntfs/bootSector';
import { ATTRIBUTE } from '../volumes/ntfs/record';
import { NtfsDamage, NtfsVolume } from '../volumes/ntfs/volume';
import { textOfUnits } from '../wellFormed';
import { dayOfNtfs, formatDay } from './days';
import type { ReadHoldings } from './document';
import { gathered, type GatherOptions, NOWHERE, makeNoMonths, type Walked } from './gathered';
import { Largest } from './largest';
import { bucketOf } from './months';
import { NAME_AT, RecordReader, SHORT_NAME, type RecordFacts } from './ntfsRecords';

const RECORD = { mft: 0, root: 5, extend: 11 } as const;
/** Records 0 to 23 are the file system's own (domain facts 4). */
const OWN_RECORDS = 24;
/** Bytes of the file table that are read at once. */
const PIECE = 2 ** 22;
/** Memory of a record takes some 25 bytes. */
const MAX_RECORDS = 8_000_000;
/** Names of folders that are remembered; those beyond are read again where they are told. */
const MAX_NAMES = 64 * 2 ** 20;
/** Files from this size on are looked at for the largest. */
const LARGE = 2 ** 20;
const USED = 1;
const FOLDER = 2;

/**
 * What fills an NTFS volume, by its file table alone: one pass through it, in which every file is counted once, with
 * the clusters of all its streams, under the first of its names.
 *
 * @param sector the boot sector to go by: the first, or its backup
 * @param progress called with the share of the table that has been read, 0..1
 * @param most how many folders and files are named
 * @throws NtfsDamage with a sentence where the table can't be used
 */
export async function walkNtfs(
  source: ByteSource,
  sector: Uint8Array,
  progress: (share: number) => void,
  most: GatherOptions['most'],
): Promise<ReadHoldings> {
  const boot = parseNtfsBoot(sector);
  if (!boot) throw new NtfsDamage('the boot sector holds impossible values');
  const volume = await NtfsVolume.open(source, boot);
  const table = await volume.stream(RECORD.mft, ATTRIBUTE.data);
  const records = Math.floor(table.size / boot.recordSize);
  if (records > MAX_RECORDS)
    throw new NtfsDamage(`it has room for ${records} files, and no more than ${MAX_RECORDS} are looked at`);
  const pass = new TablePass(records, boot.clusterSize, boot.clusters);
  const reader = new RecordReader(boot.recordSize, boot.clusters);
  const length = records * boot.recordSize;
  const pieceAt = (at: number): Promise<Uint8Array> | null =>
    at < length ? volume.range(table, at, Math.min(PIECE, length - at)) : null;
  // The next piece is fetched while this one is read: in a browser another process does that.
  let coming = pieceAt(0);
  for (let number = 0; coming;) {
    const piece = await coming;
    coming = pieceAt((number + piece.length / boot.recordSize) * boot.recordSize);
    // A failure before anybody waits for it is reported when somebody does.
    coming?.catch(() => {});
    for (let at = 0; at + boot.recordSize <= piece.length; at += boot.recordSize)
      pass.take(number++, reader.read(piece, at), reader.bytes);
    progress(number / records);
  }
  const { own, walked } = pass.sums(volume);
  return {
    measure: 'clusters',
    own,
    unread: pass.unread,
    ...(await gathered(walked, { most, apart: new Set([RECORD.extend]) })),
  };
}

/** Memory of every record: numbers only, some 25 bytes for each. */
class TablePass {
  unread = 0;
  private readonly state: Uint8Array;
  private readonly sequence: Uint16Array;
  private readonly parent: Uint32Array;
  private readonly parentSequence: Uint16Array;
  private readonly bytes: Float64Array;
  private readonly created: Uint16Array;
  private readonly changed: Uint16Array;
  /** Start of a folder's name in `names`, whose first byte is not used: its units, then their bytes. */
  private readonly nameAt: Uint32Array;
  private names = new Uint8Array(2 ** 16);
  private namesEnd = 1;
  /** Clusters of all records so far. */
  private taken = 0;

  constructor(
    private readonly records: number,
    private readonly clusterSize: number,
    private readonly clusters: number,
  ) {
    this.state = new Uint8Array(records);
    this.sequence = new Uint16Array(records);
    this.parent = new Uint32Array(records).fill(NOWHERE);
    this.parentSequence = new Uint16Array(records);
    this.bytes = new Float64Array(records);
    this.created = new Uint16Array(records);
    this.changed = new Uint16Array(records);
    this.nameAt = new Uint32Array(records);
  }

  take(number: number, facts: RecordFacts, raw: Uint8Array): void {
    if (facts.kind === 'unused') return;
    if (facts.kind === 'damaged') {
      this.unread++;
      return;
    }
    const file = facts.base < 0 ? number : facts.base;
    this.taken += facts.clusters;
    // More than the volume has can't be: whoever claims it is not believed.
    if (file >= this.records || this.taken > this.clusters) {
      this.taken -= facts.clusters;
      this.unread++;
      return;
    }
    this.bytes[file]! += facts.clusters * this.clusterSize;
    if (facts.parent >= 0 && facts.parent < this.records && this.parent[file] === NOWHERE) {
      this.parent[file] = facts.parent;
      this.parentSequence[file] = facts.parentSequence;
    }
    if (facts.base >= 0) return;
    this.state[file] = USED | (facts.folder ? FOLDER : 0);
    this.sequence[file] = facts.sequence;
    this.created[file] = facts.created;
    this.changed[file] = facts.changed;
    if (facts.folder && facts.parent >= 0) this.remember(file, raw, facts);
  }

  private remember(folder: number, raw: Uint8Array, { nameAt, nameUnits }: RecordFacts): void {
    const end = this.namesEnd + 1 + 2 * nameUnits;
    if (end > MAX_NAMES) return;
    if (end > this.names.length) {
      const more = new Uint8Array(2 * this.names.length);
      more.set(this.names);
      this.names = more;
    }
    this.nameAt[folder] = this.namesEnd;
    this.names[this.namesEnd] = nameUnits;
    this.names.set(raw.subarray(nameAt, nameAt + 2 * nameUnits), this.namesEnd + 1);
    this.namesEnd = end;
  }

  /** Bytes of the file system itself, and those in each folder. */
  sums(volume: NtfsVolume): { own: number; walked: Walked } {
    const { records, state, bytes, created, changed } = this;
    const months = makeNoMonths();
    const held = new Float64Array(records);
    const files = new Uint32Array(records);
    const newest = new Uint16Array(records);
    const parents = new Uint32Array(records).fill(NOWHERE);
    const large = new Largest<Walked['largest'][number]>();
    let own = 0;
    for (let number = 0; number < records; number++) {
      if (state[number] === 0) continue;
      if (this.isOwn(number)) {
        own += bytes[number]!;
        continue;
      }
      const folder = number === RECORD.root ? number : this.folderOf(number);
      if ((state[number]! & FOLDER) !== 0) {
        held[number]! += bytes[number]!;
        parents[number] = folder;
        continue;
      }
      if (folder === NOWHERE) continue;
      held[folder]! += bytes[number]!;
      files[folder]!++;
      const day = changed[number]!;
      if (day > newest[folder]!) newest[folder] = day;
      months.created[bucketOf(created[number]!)]! += bytes[number]!;
      months.changed[bucketOf(day)]! += bytes[number]!;
      months.files[bucketOf(day)]!++;
      if (bytes[number]! >= LARGE || folder === RECORD.root)
        large.take({ folder, bytes: bytes[number]!, number });
    }
    const walked: Walked = {
      parents,
      root: RECORD.root,
      bytes: held,
      files,
      newest,
      months,
      largest: large.kept(),
      nameOf: async (folder) => this.rememberedName(folder) ?? (await nameOf(volume, folder)),
      fileOf: (number) => fileOf(volume, number),
    };
    return { own, walked };
  }

  /** A record of the file system itself, or one in its folder \$Extend, which has few and small ones. */
  private isOwn(number: number): boolean {
    if (number < OWN_RECORDS) return number !== RECORD.root;
    for (let at = number, depth = 0; depth < 4; depth++) {
      at = this.parent[at]!;
      if (at === RECORD.extend) return true;
      if (at === NOWHERE || at === RECORD.root) return false;
    }
    return false;
  }

  /** The folder that a record lies in; NOWHERE where its reference is of something else by now. */
  private folderOf(number: number): number {
    const parent = this.parent[number]!;
    if (parent === NOWHERE || (this.state[parent]! & FOLDER) === 0) return NOWHERE;
    return this.sequence[parent] === this.parentSequence[number] ? parent : NOWHERE;
  }

  private rememberedName(folder: number): string | null {
    const at = this.nameAt[folder]!;
    return at === 0 ? null : textOfUnits(this.names.subarray(at + 1, at + 1 + 2 * this.names[at]!));
  }
}

/** The values of an attribute, none where they can't be read. */
async function readable(volume: NtfsVolume, number: number, type: number): Promise<Uint8Array[]> {
  try {
    return await volume.values(number, type);
  } catch (error) {
    if (!(error instanceof NtfsDamage || error instanceof ReadBeyondEnd)) throw error;
    return [];
  }
}

/** Records that can't be read any more stand in their place, under their number. */
async function nameOf(volume: NtfsVolume, number: number): Promise<string> {
  const names = (await readable(volume, number, ATTRIBUTE.fileName)).filter(
    (value) => value.length >= NAME_AT && NAME_AT + 2 * value[NAME_AT - 2]! <= value.length,
  );
  const value = names.find((one) => one[NAME_AT - 1] !== SHORT_NAME) ?? names[0];
  const name = value ? textOfUnits(value.subarray(NAME_AT, NAME_AT + 2 * value[NAME_AT - 2]!)) : '';
  return name === '' ? `record ${number}` : name;
}

async function fileOf(volume: NtfsVolume, number: number): ReturnType<Walked['fileOf']> {
  const name = await nameOf(volume, number);
  const [standard] = await readable(volume, number, ATTRIBUTE.standard);
  const day = (at: number): string | null => {
    if (!standard || standard.length < at + 8) return null;
    const view = viewOf(standard);
    return formatDay(dayOfNtfs(view.getUint32(at, true), view.getUint32(at + 4, true)));
  };
  return { name, created: day(0), changed: day(8), opened: day(24) };
}
