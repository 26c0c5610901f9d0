import type { ClusterMap } from '../../../disk';
import { randomFrom } from '../../../random';
import type { Device } from '../../devices/device';
import type { MadeUp } from '../files';
import { NoRoom } from '../../noRoom';
import { Allocator, countOf, runsOf, type Clusters } from './allocator';
import { makeNonResident, resident, roundUp, TYPE, type StandInAttribute } from './attribute';
import {
  fileName,
  makeFileRecord,
  makeStandardInformation,
  type NameFacts,
  type Ref,
  type Times,
} from './fileRecord';
import { byUpcase, SECURITY_ID, makeUpcaseTable } from './system';

/** Description of a volume to be made. Bytes, where nothing else is said. */
export interface NtfsSpec {
  sectorSize: number;
  clusterSize: number;
  /** Sectors of the file system; its backup boot sector follows. */
  totalSectors: number;
  hiddenSectors: number;
  label: string;
  /** A volume without files of anybody takes what it needs itself. */
  used: number | 'nothing but itself';
  /** To the end of the last cluster in use, or null. */
  lastUsed: number | null;
  map: ClusterMap | null;
  made: MadeUp;
  seed: number;
  /** When its files are from, in milliseconds since 1970. */
  time: number;
}

const TICKS_1601 = 11_644_473_600_000;

export const FIRST_OF_USERS = 24;

/** Bytes of one stream, and the clusters that they go to. */
export interface StandInContent {
  parts: readonly Clusters[];
  bytes: Uint8Array;
  /** Byte of the stream where they begin. */
  at?: number;
}

export interface StandInFolder {
  ref: Ref;
  entries: { name: string; ref: Ref; key: Uint8Array }[];
}

/**
 * A volume in the making: who has which cluster, which record and which name. What its files hold is written at the
 * end.
 */
export class StandInVolume {
  readonly clusters: number;
  readonly recordSize: number;
  readonly space: Allocator;
  readonly random: () => number;
  readonly upcase = makeUpcaseTable();
  readonly order = byUpcase(this.upcase);
  readonly records = new Map<number, Uint8Array>();
  readonly contents: StandInContent[] = [];
  readonly folders = new Map<string, StandInFolder>();
  readonly times: Times;
  /** Room of the indexes of folders, by their path. */
  readonly indexRoom = new Map<string, Clusters[]>();
  /** Clusters between those of scattered files; a file of their own holds them. */
  readonly between: Clusters[] = [];
  /** The next file record that nobody has. */
  next = FIRST_OF_USERS;
  files = 0;

  constructor(
    readonly device: Device,
    readonly base: number,
    readonly spec: NtfsSpec,
  ) {
    const { clusterSize, sectorSize, totalSectors, used, lastUsed, map, seed, time } = spec;
    this.clusters = Math.floor((totalSectors * sectorSize) / clusterSize);
    this.recordSize = Math.max(1024, sectorSize);
    const last = lastUsed === null ? null : Math.min(this.clusters, Math.ceil(lastUsed / clusterSize)) - 1;
    this.space = new Allocator(
      this.clusters,
      used === 'nothing but itself' ? this.clusters : Math.min(this.clusters, Math.floor(used / clusterSize)),
      last,
      map,
    );
    this.random = randomFrom(seed);
    const ticks = BigInt(time + TICKS_1601) * 10_000n;
    this.times = { created: ticks - 864_000_000_000n, changed: ticks };
  }

  /** Exactly so many bytes of clusters in one run. */
  whole(bytes: number): Clusters {
    const found = this.space.takeWhole(Math.ceil(bytes / this.spec.clusterSize));
    if (!found) throw new NoRoom('clusters');
    return found;
  }

  clustersFor(bytes: number): Clusters[] {
    const count = Math.ceil(bytes / this.spec.clusterSize);
    const parts = this.space.take(count);
    if (parts.reduce((sum, part) => sum + part.count, 0) < count) throw new NoRoom('clusters');
    return parts;
  }

  /** A stream of bytes outside its record. */
  stream(
    type: number,
    bytes: Uint8Array,
    name = '',
    parts = this.clustersFor(bytes.length),
  ): StandInAttribute {
    this.contents.push({ parts, bytes });
    const allocated = countOf(parts) * this.spec.clusterSize;
    return makeNonResident(
      type,
      runsOf(parts),
      { allocated, size: bytes.length, initialised: bytes.length },
      { name },
    );
  }

  standard(flags: number): StandInAttribute {
    return resident(TYPE.standard, makeStandardInformation(this.times, flags, SECURITY_ID));
  }

  record(ref: Ref, folder: boolean, attributes: readonly StandInAttribute[], links = 1, base?: Ref): void {
    const facts = { ...ref, links, folder, used: true, attributes, ...(base ? { base } : {}) };
    this.records.set(ref.number, makeFileRecord(this.recordSize, facts));
  }

  newRef(): Ref {
    return { number: this.next++, sequence: 1 };
  }

  /** Puts a name into its folder; the folder's index is built when all are there. */
  nameIn(
    folder: string,
    name: string,
    ref: Ref,
    facts: Omit<NameFacts, 'parent' | 'name' | 'times'>,
  ): Uint8Array {
    const parent = this.folders.get(folder);
    if (!parent) throw new Error(`there is no folder ${folder}`);
    const key = fileName({ parent: parent.ref, name, times: this.times, ...facts });
    parent.entries.push({ name, ref, key });
    return key;
  }

  /** Writes what files and folders hold that were made since the last time. */
  async settle(): Promise<void> {
    for (const content of this.contents.splice(0)) await this.put(content);
  }

  /** Writes a piece of a stream to its clusters, in whole sectors; what does not fill one ends in zeros. */
  async put({ parts, bytes, at = 0 }: StandInContent): Promise<void> {
    const { clusterSize } = this.spec;
    const unit = this.device.sectorSize;
    let before = 0;
    for (const { first, count } of parts) {
      const length = count * clusterSize;
      const from = Math.max(0, at - before);
      const until = Math.min(length, at + bytes.length - before);
      if (until > from) {
        const piece = new Uint8Array(roundUp(until - from, unit));
        piece.set(bytes.subarray(before + from - at, before + until - at));
        await this.device.write(this.base + first * clusterSize + from, piece);
      }
      before += length;
    }
  }
}
