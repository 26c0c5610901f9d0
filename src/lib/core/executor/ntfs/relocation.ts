import { viewOf } from '../../bytes';
import { lacks, NoRoom } from '../noRoom';
import { ATTRIBUTE } from '../../volumes/ntfs/record';
import { decodeRuns, type ClusterRun } from '../../volumes/ntfs/runs';
import { NtfsDamage, type NtfsVolume } from '../../volumes/ntfs/volume';
import type { Device } from '../devices/device';
import { SectorEdits } from '../sectorEdits';
import type { Operation, DiskPlace, Relocated } from '../plan';
import { listBytes, parseList, type ListEntry } from './attributeList';
import type { BitEdit, FreeRun } from './bitmapPlan';
import { RECORD } from './ownershipScan';
import { FreeRecords } from './freeRecords';
import type { FreeSpace } from './freeSpace';
import { withPlaces } from './mappingPairs';
import { attributesAt, makeEmptyRecord, RecordEdit, type RecordInUse } from './records';
import { editBits, writeStream } from './streamPlaces';

/** Below it a record belongs to the file system itself and has to stand alone. */
const FIRST_TO_BE_CONTINUED = 9;
const MAX_LIST = 256 * 1024;

/** A volume in hand: where it lies, what is free before the cut. */
export interface InHand {
  on: DiskPlace;
  device: Device;
  /** Byte of the device where it begins. */
  base: number;
  volume: NtfsVolume;
  space: FreeSpace;
  /** The first cluster that goes. */
  cut: number;
}

/** Clusters of a stream beyond a cut, brought before it. */
export class Placement {
  /** Triples of from, to, length, in clusters. */
  readonly moves: number[] = [];
  readonly sets: BitEdit[] = [];
  readonly clears: BitEdit[] = [];
  clusters = 0;

  constructor(
    private readonly space: FreeSpace,
    private readonly cut: number,
  ) {}

  /**
   * The same runs with nothing beyond the cut. What follows each other in the stream goes together, behind what comes
   * before it where that can be.
   *
   * @throws NoRoom
   */
  placed(runs: readonly ClusterRun[]): ClusterRun[] {
    const out: ClusterRun[] = [];
    let pending: ClusterRun[] = [];
    const settle = () => {
      this.settle(pending, out);
      pending = [];
    };
    for (const run of runs) {
      if (run.lcn === null || run.lcn + run.clusters <= this.cut) {
        settle();
        push(out, run);
        continue;
      }
      const before = Math.max(0, this.cut - run.lcn);
      if (before > 0) {
        settle();
        push(out, { ...run, clusters: before });
      }
      pending.push({ vcn: run.vcn + before, lcn: run.lcn + before, clusters: run.clusters - before });
    }
    settle();
    return out;
  }

  /** The same stream in one piece, wherever it lay. @throws NoRoom */
  whole(runs: readonly ClusterRun[], count: number): ClusterRun[] {
    const found = this.space.takeWhole(count);
    if (!found || runs.some(({ lcn }) => lcn === null)) throw new NoRoom('clusters');
    this.sets.push({ ...found, bit: 1 });
    this.free(runs);
    this.clusters += count;
    for (const { vcn, lcn, clusters } of runs)
      this.moves.push(lcn!, found.first + vcn - runs[0]!.vcn, clusters);
    return [{ vcn: runs[0]!.vcn, lcn: found.first, clusters: count }];
  }

  /** Clusters that are wanted for something new. @throws NoRoom */
  room(clusters: number, behind: number | null = null): FreeRun[] {
    const found = this.space.take(clusters, behind);
    if (!found) throw new NoRoom('clusters');
    for (const { first, count } of found) this.sets.push({ first, count, bit: 1 });
    return found;
  }

  /** Clusters that are wanted no more. */
  free(runs: readonly ClusterRun[]): void {
    for (const { lcn, clusters } of runs)
      if (lcn !== null) this.clears.push({ first: lcn, count: clusters, bit: 0 });
  }

  private settle(pending: readonly ClusterRun[], out: ClusterRun[]): void {
    const need = pending.reduce((sum, { clusters }) => sum + clusters, 0);
    if (need === 0) return;
    const last = out.at(-1);
    const found = this.room(need, last && last.lcn !== null ? last.lcn + last.clusters : null);
    this.free(pending);
    this.clusters += need;
    let [from, inFrom] = [0, 0];
    let { vcn } = pending[0]!;
    for (const { first, count } of found) {
      push(out, { vcn, lcn: first, clusters: count });
      vcn += count;
      for (let done = 0; done < count;) {
        const run = pending[from]!;
        const take = Math.min(count - done, run.clusters - inFrom);
        this.moves.push(run.lcn! + inFrom, first + done, take);
        done += take;
        inFrom += take;
        if (inFrom === run.clusters) [from, inFrom] = [from + 1, 0];
      }
    }
  }
}

/** Adds a run; what follows the one before in both stream and volume becomes one with it. */
function push(out: ClusterRun[], run: ClusterRun): void {
  const last = out.at(-1);
  const follows =
    last && last.lcn !== null && run.lcn === last.lcn + last.clusters && run.vcn === last.vcn + last.clusters;
  if (follows) out[out.length - 1] = { ...last, clusters: last.clusters + run.clusters };
  else out.push(run);
}

/** Pieces that lie apart, of what is not a hole. */
export function countPieces(runs: readonly ClusterRun[]): number {
  const joined: ClusterRun[] = [];
  for (const run of runs) if (run.lcn !== null) push(joined, run);
  return joined.length;
}

/**
 * Copies of whole pieces, in the order of their sources; what follows each other in both places goes at once. Bytes.
 */
export function makeScatterOperations(
  { on, base, volume: { boot } }: Pick<InHand, 'on' | 'base' | 'volume'>,
  clusters: readonly number[],
): Operation[] {
  const order = Array.from({ length: clusters.length / 3 }, (_, i) => 3 * i);
  order.sort((a, b) => clusters[a]! - clusters[b]!);
  const size = boot.clusterSize;
  const moves: number[] = [];
  for (const i of order) {
    const [from, to, length] = [
      base + clusters[i]! * size,
      base + clusters[i + 1]! * size,
      clusters[i + 2]! * size,
    ];
    const last = moves.length - 3;
    const follows =
      last >= 0 && moves[last]! + moves[last + 2]! === from && moves[last + 1]! + moves[last + 2]! === to;
    if (follows) moves[last + 2]! += length;
    else moves.push(from, to, length);
  }
  return moves.length > 0 ? [{ op: 'scatter', on, moves }] : [];
}

/**
 * One batch of files whose clusters beyond the cut go before it. What it comes to leaves a consistent volume: new
 * clusters count as in use before a record names them, and the old ones count as free only after none does.
 */
export class Batch {
  private readonly edits: SectorEdits;
  private readonly placement: Placement;
  private readonly records = new Map<number, RecordEdit>();
  private readonly fresh: RecordEdit[] = [];
  private readonly lists = new Map<number, ListEntry[]>();
  private readonly contents: { runs: FreeRun[]; bytes: Uint8Array }[] = [];
  private free: FreeRecords | null = null;
  private readonly bases = new Set<number>();
  private pieces = { before: 0, after: 0 };

  constructor(private readonly inHand: InHand) {
    this.edits = new SectorEdits(inHand.device);
    this.placement = new Placement(inHand.space, inHand.cut);
  }

  /** About how many bytes of the journal it takes. */
  get weight(): number {
    const { recordSize } = this.inHand.volume.boot;
    const records = this.records.size + this.fresh.length;
    return 2 * recordSize * records + 8 * this.placement.moves.length;
  }

  get clusters(): number {
    return this.placement.clusters;
  }

  /**
   * All that a record itself says of clusters beyond the cut.
   *
   * @param base the record that it continues, or its own number
   * @throws NoRoom, NtfsDamage
   */
  async take(number: number, base: number): Promise<void> {
    const { cut, volume } = this.inHand;
    const edit = await this.record(number);
    for (const { type, name, lowestVcn, resident } of edit.held()) {
      if (resident || (number === RECORD.badClusters && name === '$Bad')) continue;
      const held = edit
        .held()
        .find((one) => one.type === type && one.name === name && one.lowestVcn === lowestVcn);
      if (!held) continue; // The list was written anew meanwhile.
      const attribute = edit.bytesOf(held);
      const runs = runsIn(attribute, held, volume.boot.clusters);
      if (!runs.some(({ lcn, clusters }) => lcn !== null && lcn + clusters > cut)) continue;
      this.bases.add(base);
      if (type === ATTRIBUTE.list) {
        await this.writeList(number, await this.listOf(number));
        continue;
      }
      const placed = this.placement.placed(runs);
      this.pieces.before += countPieces(runs);
      this.pieces.after += countPieces(placed);
      try {
        edit.exchange(held, withPlaces(attribute, placed));
      } catch (error) {
        if (!lacks(error, 'record')) throw error;
        await this.outgrown({ number, base, edit, held, attribute, runs: placed });
      }
    }
  }

  /** Operations of the batch. */
  async operations(): Promise<{ operations: Operation[]; relocated: Relocated }> {
    const { edits, inHand, placement } = this;
    const { on, base, volume } = inHand;
    const { clusterSize } = volume.boot;
    const bitmap = await volume.stream(RECORD.bitmap, ATTRIBUTE.data);
    if (!('runs' in bitmap.content)) throw new NtfsDamage('its map of clusters is damaged');
    const map = { runs: bitmap.content.runs, clusterSize, base };
    await editBits(edits, map, placement.sets);
    edits.endGroup();
    for (const { runs, bytes } of this.contents) {
      let vcn = 0;
      const placed = runs.map(({ first, count }): ClusterRun => ({
        vcn: (vcn += count) - count,
        lcn: first,
        clusters: count,
      }));
      await writeStream({ runs: placed, clusterSize, base }, 0, bytes, (at, piece) => edits.put(at, piece));
    }
    for (const edit of this.fresh) await edit.save();
    if (this.free && this.free.edits.length > 0) await editBits(edits, this.free.mapPlace, this.free.edits);
    edits.endGroup();
    const own = this.records.get(RECORD.mft);
    if (own) await own.save();
    edits.endGroup();
    for (const [number, edit] of this.records) if (number !== RECORD.mft) await edit.save();
    edits.endGroup();
    await editBits(edits, map, placement.clears);
    return {
      operations: [
        ...makeScatterOperations(inHand, placement.moves),
        { op: 'change', on, groups: edits.changes },
      ],
      relocated: {
        files: this.bases.size,
        bytes: placement.clusters * clusterSize,
        piecesBefore: this.pieces.before,
        piecesAfter: this.pieces.after,
      },
    };
  }

  private async record(number: number): Promise<RecordEdit> {
    const { volume, base } = this.inHand;
    const known = this.records.get(number) ?? (await RecordEdit.open(this.edits, volume, base, number));
    this.records.set(number, known);
    return known;
  }

  /**
   * The runs of an attribute no longer fit into its record: they go on in records of their own, and the file's list of
   * attributes says where; a file that had none gets one.
   */
  private async outgrown(one: {
    number: number;
    base: number;
    edit: RecordEdit;
    held: RecordInUse;
    attribute: Uint8Array;
    runs: readonly ClusterRun[];
  }): Promise<void> {
    const { number, base, edit, held, attribute, runs } = one;
    if (base < FIRST_TO_BE_CONTINUED) throw new NoRoom('record');
    const owner = await this.record(base);
    const list = await this.listOf(base);
    edit.remove(held);
    const at = list.findIndex(
      (entry) =>
        entry.type === held.type &&
        entry.name === held.name &&
        entry.lowestVcn === held.lowestVcn &&
        entry.record === number,
    );
    if (at < 0) throw new NtfsDamage(`the list of file record ${base} is damaged`);
    const { recordSize } = this.inHand.volume.boot;
    const whole = recordSize - attributesAt(recordSize) - 8;
    const entries: ListEntry[] = [];
    let rest = [...runs];
    while (rest.length > 0) {
      // A record that continues another is never left empty.
      const stays = entries.length === 0 && number !== base;
      const part = partFor(attribute, rest, stays ? edit.room : whole);
      rest = rest.slice(part.count);
      const holder = stays ? { edit, number, sequence: edit.sequence } : await this.newRecord(base, owner);
      entries.push({
        type: held.type,
        name: held.name,
        lowestVcn: part.lowestVcn,
        record: holder.number,
        sequence: holder.sequence,
        id: holder.edit.insert(part.bytes),
      });
    }
    list.splice(at, 1, ...entries);
    await this.writeList(base, list);
  }

  private async newRecord(
    base: number,
    owner: RecordEdit,
  ): Promise<{ edit: RecordEdit; number: number; sequence: number }> {
    const { volume } = this.inHand;
    this.free ??= await FreeRecords.open(volume, this.inHand.base);
    const { number, sequence, places } = await this.free.take(
      () => this.record(RECORD.mft),
      (clusters, behind) => this.placement.room(clusters, behind),
    );
    const bytes = makeEmptyRecord(volume.boot.recordSize, { number, sequence });
    viewOf(bytes).setBigUint64(0x20, BigInt(base) | (BigInt(owner.sequence) << 48n), true);
    const edit = RecordEdit.made(this.edits, places, bytes);
    this.fresh.push(edit);
    return { edit, number, sequence };
  }

  /** Record of each attribute of a file, as it is by now; without a list the file's own record holds all. */
  private async listOf(base: number): Promise<ListEntry[]> {
    const known = this.lists.get(base);
    if (known) return known;
    const { volume } = this.inHand;
    const owner = await this.record(base);
    const held = owner.held().find(({ type }) => type === ATTRIBUTE.list);
    let list: ListEntry[];
    if (!held)
      list = owner.held().map(({ type, name, lowestVcn, id }) => ({
        ...{ type, name, lowestVcn, id },
        ...{ record: base, sequence: owner.sequence },
      }));
    else {
      const stream = await volume.stream(base, ATTRIBUTE.list);
      if (stream.size > MAX_LIST) throw new NtfsDamage('an attribute list is too long');
      list = parseList(await volume.range(stream, 0, stream.size));
    }
    this.lists.set(base, list);
    return list;
  }

  /** Puts a list into its record, or where it does not fit there into clusters of its own. @throws NoRoom */
  private async writeList(base: number, list: readonly ListEntry[]): Promise<void> {
    const { clusterSize, clusters } = this.inHand.volume.boot;
    const owner = await this.record(base);
    const old = owner.held().find(({ type }) => type === ATTRIBUTE.list);
    if (old && !old.resident) this.placement.free(runsIn(owner.bytesOf(old), old, clusters));
    if (old) owner.remove(old);
    const bytes = listBytes(list);
    const resident = residentList(bytes);
    if (owner.room >= resident.length) {
      owner.insert(resident);
      return;
    }
    const runs = this.placement.room(Math.ceil(bytes.length / clusterSize));
    owner.insert(listElsewhere(bytes.length, runs, clusterSize));
    this.contents.push({ runs, bytes });
  }
}

/** The runs of an attribute, or of a part of one. @throws NtfsDamage */
export function runsIn(attribute: Uint8Array, { lowestVcn }: RecordInUse, clusters: number): ClusterRun[] {
  const runs = decodeRuns(attribute.subarray(viewOf(attribute).getUint16(0x20, true)), lowestVcn, clusters);
  if (!runs) throw new NtfsDamage('a run list is damaged');
  return runs;
}

/** Runs of an attribute, as many as fit into so many bytes. @throws NoRoom where not even one does */
function partFor(
  attribute: Uint8Array,
  runs: readonly ClusterRun[],
  room: number,
): { bytes: Uint8Array; count: number; lowestVcn: number } {
  let [low, high] = [0, runs.length];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (withPlaces(attribute, runs.slice(0, middle)).length <= room) low = middle;
    else high = middle - 1;
  }
  if (low === 0) throw new NoRoom('record');
  return { bytes: withPlaces(attribute, runs.slice(0, low)), count: low, lowestVcn: runs[0]!.vcn };
}

function residentList(value: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(0x18 + Math.ceil(value.length / 8) * 8);
  const view = viewOf(bytes);
  view.setUint32(0, ATTRIBUTE.list, true);
  view.setUint32(4, bytes.length, true);
  view.setUint16(0x0a, 0x18, true);
  view.setUint32(0x10, value.length, true);
  view.setUint16(0x14, 0x18, true);
  bytes.set(value, 0x18);
  return bytes;
}

function listElsewhere(length: number, runs: readonly FreeRun[], clusterSize: number): Uint8Array {
  const bytes = new Uint8Array(0x40);
  const view = viewOf(bytes);
  view.setUint32(0, ATTRIBUTE.list, true);
  view.setUint8(8, 1);
  view.setUint16(0x0a, 0x40, true);
  view.setUint16(0x20, 0x40, true);
  let vcn = 0;
  const placed = runs.map(({ first, count }): ClusterRun => ({
    vcn: (vcn += count) - count,
    lcn: first,
    clusters: count,
  }));
  const out = withPlaces(bytes, placed);
  const sizes = viewOf(out);
  sizes.setBigUint64(0x28, BigInt(vcn * clusterSize), true);
  sizes.setBigUint64(0x30, BigInt(length), true);
  sizes.setBigUint64(0x38, BigInt(length), true);
  return out;
}
