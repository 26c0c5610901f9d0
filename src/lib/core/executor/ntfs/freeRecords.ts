import { latin1, viewOf } from '../../bytes';
import { NoRoom } from '../noRoom';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import type { ClusterRun } from '../../volumes/ntfs/runs';
import type { NtfsVolume } from '../../volumes/ntfs/volume';
import type { BitEdit, FreeRun } from './bitmapPlan';
import { RECORD, recordMap, TYPE_BITMAP } from './ownershipScan';
import { withRuns, type StreamSizes } from './mappingPairs';
import type { RecordEdit } from './records';
import { placesOf, type OnDevice } from './streamPlaces';

const FIRST_FOR_USERS = 24;
/** The `$MFT` grows by so many records at once. */
const AT_ONCE = 64;
/** The map of records grows by so many bytes. */
const MAP_STEP = 8;

/** A file record that nobody has. */
export interface NewRecord {
  number: number;
  sequence: number;
  places: { offset: number; length: number }[];
}

/**
 * File records for what no longer fits into one, as they are given away. A change to the `$MFT` itself is made in its
 * record.
 */
export class FreeRecords {
  /** Of the map of records: what is changed. */
  readonly edits: BitEdit[] = [];
  private next = FIRST_FOR_USERS;

  private constructor(
    private readonly volume: NtfsVolume,
    private readonly base: number,
    private readonly bits: Uint8Array,
    private runs: ClusterRun[],
    private sizes: StreamSizes,
    readonly map: { runs: readonly ClusterRun[] | null; allocated: number; size: number },
  ) {}

  /** @param base byte of the device where the volume begins. @throws NtfsDamage */
  static async open(volume: NtfsVolume, base: number): Promise<FreeRecords> {
    const table = await volume.stream(RECORD.mft, ATTRIBUTE.data);
    const map = await volume.stream(RECORD.mft, TYPE_BITMAP);
    const bits = await recordMap(volume, table);
    const { clusterSize } = volume.boot;
    const runsOf = (stream: typeof table) => ('runs' in stream.content ? [...stream.content.runs] : null);
    const clusters = (runs: readonly ClusterRun[]) => runs.reduce((sum, run) => sum + run.clusters, 0);
    const [runs, mapRuns] = [runsOf(table)!, runsOf(map)];
    return new FreeRecords(
      volume,
      base,
      bits,
      runs,
      {
        allocated: clusters(runs) * clusterSize,
        data: table.size,
        initialised: table.initialised,
      },
      { runs: mapRuns, allocated: mapRuns ? clusters(mapRuns) * clusterSize : 0, size: map.size },
    );
  }

  /** Places of the map of records. @throws NoRoom where it is within its record */
  get mapPlace(): OnDevice {
    if (!this.map.runs) throw new NoRoom('record');
    return { runs: this.map.runs, clusterSize: this.volume.boot.clusterSize, base: this.base };
  }

  /**
   * @param own the record of the `$MFT`, for when it has to grow
   * @param room gives clusters behind one, or elsewhere
   * @throws NoRoom, NtfsDamage
   */
  async take(
    own: () => Promise<RecordEdit>,
    room: (clusters: number, behind: number) => FreeRun[],
  ): Promise<NewRecord> {
    const { recordSize } = this.volume.boot;
    const count = () => Math.floor(this.sizes.data / recordSize);
    while (this.next < count() && this.taken(this.next)) this.next++;
    if (this.next >= count()) await this.grow(own, room);
    const number = this.next++;
    this.bits[number >> 3]! |= 1 << (number & 7);
    this.edits.push({ first: number, count: 1, bit: 1 });
    const places = placesOf(
      { runs: this.runs, clusterSize: this.volume.boot.clusterSize, base: this.base },
      number * recordSize,
      (number + 1) * recordSize,
    );
    return { number, sequence: await this.sequenceOf(number), places };
  }

  private taken(number: number): boolean {
    return (((this.bits[number >> 3] ?? 0xff) >> (number & 7)) & 1) === 1;
  }

  /** A record that was used before goes on with its number, so that old references to it stay wrong. */
  private async sequenceOf(number: number): Promise<number> {
    const { recordSize } = this.volume.boot;
    const table = await this.volume.stream(RECORD.mft, ATTRIBUTE.data);
    if ((number + 1) * recordSize > table.size) return 1;
    const raw = await this.volume.range(table, number * recordSize, recordSize);
    const known = latin1(raw.subarray(0, 4)) === 'FILE';
    return (known && viewOf(raw).getUint16(0x10, true)) || 1;
  }

  /** The `$MFT` is full: one record more, in the room that it has or in new clusters, and its map with it. */
  private async grow(
    own: () => Promise<RecordEdit>,
    room: (clusters: number, behind: number) => FreeRun[],
  ): Promise<void> {
    const { recordSize, clusterSize } = this.volume.boot;
    const edit = await own();
    // Its parts in other records would have to grow with it.
    if (edit.has(ATTRIBUTE.list)) throw new NoRoom('record');
    this.next = Math.floor(this.sizes.data / recordSize);
    const data = (this.next + 1) * recordSize;
    if (data > this.sizes.allocated) {
      const last = this.runs.at(-1)!;
      const more = Math.max(1, Math.ceil((AT_ONCE * recordSize) / clusterSize));
      for (const { first, count } of room(more, last.lcn! + last.clusters)) {
        const before = this.runs.at(-1)!;
        if (before.lcn! + before.clusters === first)
          this.runs = [...this.runs.slice(0, -1), { ...before, clusters: before.clusters + count }];
        else this.runs = [...this.runs, { vcn: before.vcn + before.clusters, lcn: first, clusters: count }];
      }
      this.sizes = { ...this.sizes, allocated: this.sizes.allocated + more * clusterSize };
    }
    this.sizes = { ...this.sizes, data, initialised: data };
    edit.replace(ATTRIBUTE.data, '', withRuns(edit.attribute(ATTRIBUTE.data), this.runs, this.sizes));
    if (this.next < 8 * this.map.size) return;
    if (!this.map.runs || this.map.size + MAP_STEP > this.map.allocated) throw new NoRoom('record');
    this.map.size += MAP_STEP;
    const sizes = { allocated: this.map.allocated, data: this.map.size, initialised: this.map.size };
    edit.replace(TYPE_BITMAP, '', withRuns(edit.attribute(TYPE_BITMAP), this.map.runs, sizes));
    this.edits.push({ first: 8 * (this.map.size - MAP_STEP), count: 8 * MAP_STEP, bit: 0 });
  }
}
