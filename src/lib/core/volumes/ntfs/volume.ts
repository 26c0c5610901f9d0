import { viewOf } from '../../bytes';
import type { ByteSource } from '../../images/source';
import type { NtfsBoot } from './bootSector';
import { ATTRIBUTE, parseRecord, recordOf, type Attribute, type FileRecord } from './record';
import { decodeRuns, type ClusterRun } from './runs';

/** A stream of a file, wherever its extents are recorded. */
export interface Stream {
  size: number;
  /** Bytes that were ever written; the rest reads as zeros. */
  initialised: number;
  /** A resident stream carries its bytes, any other its runs. */
  content: { resident: Uint8Array } | { runs: ClusterRun[] };
}

/** A metadata structure that can't be used; `message` says which, for people. */
export class NtfsDamage extends Error {}

/** Far above any real list (256 KiB is its bound on disk); keeps damaged ones from taking memory. */
const MAX_LIST_BYTES = 1024 * 1024;
/**
 * Runs of one stream, and records read of one volume: far above what is looked at of any real one, so that an image
 * made to tire us ends.
 */
const MAX_RUNS = 1_000_000;
const MAX_RECORDS = 100_000;

/** Reads file records and streams of an NTFS volume by number. */
export class NtfsVolume {
  private records = 0;

  private constructor(
    private readonly source: ByteSource,
    readonly boot: NtfsBoot,
    private mft: ClusterRun[],
  ) {}

  /** Finds the whole $MFT, starting from the boot sector alone. @throws NtfsDamage */
  static async open(source: ByteSource, boot: NtfsBoot): Promise<NtfsVolume> {
    const recordClusters = Math.max(1, Math.ceil(boot.recordSize / boot.clusterSize));
    const first = { vcn: 0, lcn: boot.mftCluster, clusters: recordClusters };
    if (first.lcn + recordClusters > boot.clusters) throw new NtfsDamage('the $MFT lies outside the volume');
    const volume = new NtfsVolume(source, boot, [first]);
    const { attributes } = await volume.record(0);
    const own = attributes.find((one) => isData(one) && one.lowestVcn === 0);
    if (!own?.runs) throw new NtfsDamage('the $MFT has no data');
    volume.mft = volume.decode(own);
    const list = attributes.find((attribute) => attribute.type === ATTRIBUTE.list);
    if (!list) return volume;
    // An extension record may lie in a part of the $MFT that the one before describes: so each counts at once.
    for (const other of await volume.listedRecords(list, ATTRIBUTE.data, '')) {
      if (other === 0) continue;
      const parts = (await volume.extension(other, 0)).filter(isData);
      for (const part of parts) volume.append(volume.mft, part);
    }
    return volume;
  }

  /** The stream of a file record, unnamed unless `name` is given. @throws NtfsDamage where there is none */
  async stream(record: number, type: number, name = ''): Promise<Stream> {
    const stream = await this.streamOrNull(record, type, name);
    if (!stream) throw new NtfsDamage(`file record ${record} lacks attribute 0x${type.toString(16)}`);
    return stream;
  }

  /** The same for a stream that may be missing. @throws NtfsDamage where the record is damaged */
  async streamOrNull(record: number, type: number, name = ''): Promise<Stream | null> {
    const matches = (attribute: Attribute) => attribute.type === type && attribute.name === name;
    const base = (await this.record(record)).attributes;
    const list = base.find((attribute) => attribute.type === ATTRIBUTE.list);
    const parts = base.filter(matches);
    if (list) {
      for (const other of await this.listedRecords(list, type, name)) {
        if (other !== record) parts.push(...(await this.extension(other, record)).filter(matches));
      }
    }
    parts.sort((a, b) => a.lowestVcn - b.lowestVcn);
    const [first] = parts;
    if (!first) return null;
    const { dataSize: size, initialisedSize: initialised, value } = first;
    if (value) return { size, initialised, content: { resident: value } };
    const runs: ClusterRun[] = [];
    for (const part of parts) this.append(runs, part);
    return { size, initialised, content: { runs } };
  }

  /** Every run of every stream of a file that has clusters; none where the record is not in use. @throws NtfsDamage */
  async runsOf(record: number): Promise<ClusterRun[]> {
    const base = await this.recordOrFree(record);
    if (base === 'free') return [];
    const all = [...base.attributes];
    const list = base.attributes.find((attribute) => attribute.type === ATTRIBUTE.list);
    if (list) {
      for (const other of await this.listedRecords(list, null, '')) {
        if (other !== record) all.push(...(await this.extension(other, record)));
      }
    }
    const runs: ClusterRun[] = [];
    for (const one of all) if (one.runs !== null) this.append(runs, one);
    return runs;
  }

  /**
   * The values of a resident attribute that a file may have several of, wherever they are recorded. @throws NtfsDamage
   */
  async values(record: number, type: number): Promise<Uint8Array[]> {
    const all = [...(await this.record(record)).attributes];
    const list = all.find((attribute) => attribute.type === ATTRIBUTE.list);
    for (const other of list ? await this.listedRecords(list, type, '') : [])
      if (other !== record) all.push(...(await this.extension(other, record)));
    return all.flatMap((one) => (one.type === type && one.value ? [one.value] : []));
  }

  /**
   * Where a file record lies on the volume, in bytes; more than one piece where clusters are smaller than a record.
   * @throws NtfsDamage
   */
  recordPlaces(number: number): { offset: number; length: number }[] {
    const { recordSize, clusterSize } = this.boot;
    const places: { offset: number; length: number }[] = [];
    for (let at = number * recordSize; at < (number + 1) * recordSize;) {
      const run = runAt(this.mft, Math.floor(at / clusterSize));
      if (!run || run.lcn === null) throw new NtfsDamage(`file record ${number} lies outside the $MFT`);
      const inRun = at - run.vcn * clusterSize;
      const length = Math.min((number + 1) * recordSize - at, run.clusters * clusterSize - inRun);
      places.push({ offset: run.lcn * clusterSize + inRun, length });
      at += length;
    }
    return places;
  }

  /**
   * Exactly `length` bytes of a stream from `at`, wherever its runs lie; what is sparse or was never written is zeros.
   * @throws NtfsDamage
   */
  async range(stream: Stream, at: number, length: number): Promise<Uint8Array> {
    if (at + length > stream.size) throw new NtfsDamage('a stream is shorter than what it should hold');
    if ('resident' in stream.content) return stream.content.resident.subarray(at, at + length);
    const out = new Uint8Array(length);
    const written = Math.max(0, Math.min(length, stream.initialised - at));
    await this.gather(stream.content.runs, at, out.subarray(0, written));
    return out;
  }

  /** Yields the stream in pieces of at most `pieceSize` bytes. @throws NtfsDamage */
  async *pieces(stream: Stream, pieceSize: number): AsyncGenerator<Uint8Array> {
    for (let at = 0; at < stream.size; at += pieceSize) {
      yield await this.range(stream, at, Math.min(pieceSize, stream.size - at));
    }
  }

  private async gather(runs: readonly ClusterRun[], from: number, out: Uint8Array): Promise<void> {
    const { clusterSize } = this.boot;
    for (let done = 0; done < out.length;) {
      const at = from + done;
      const run = runAt(runs, Math.floor(at / clusterSize));
      if (!run) throw new NtfsDamage('a stream is longer than its runs');
      const inRun = at - run.vcn * clusterSize;
      const take = Math.min(out.length - done, run.clusters * clusterSize - inRun);
      if (run.lcn !== null) out.set(await this.source.read(run.lcn * clusterSize + inRun, take), done);
      done += take;
    }
  }

  private async record(number: number): Promise<FileRecord> {
    const record = await this.recordOrFree(number);
    if (record === 'free') throw new NtfsDamage(`file record ${number} is not in use`);
    return record;
  }

  private async recordOrFree(number: number): Promise<FileRecord | 'free'> {
    if (++this.records > MAX_RECORDS) throw new NtfsDamage('it leads to more file records than are followed');
    const { recordSize, clusterSize } = this.boot;
    const at = number * recordSize;
    const run = runAt(this.mft, Math.floor(at / clusterSize));
    if (!run || run.lcn === null) throw new NtfsDamage(`file record ${number} lies outside the $MFT`);
    // With clusters smaller than a record, one may begin in one run and end in the next.
    const raw = new Uint8Array(recordSize);
    await this.gather(this.mft, at, raw);
    const parsed = parseRecord(raw);
    if (!parsed) throw new NtfsDamage(`file record ${number} is damaged`);
    return parsed;
  }

  /** The attributes of a record that continues `base`. */
  private async extension(number: number, base: number): Promise<Attribute[]> {
    const record = await this.record(number);
    if (record.base !== base) throw new NtfsDamage(`file record ${number} does not continue record ${base}`);
    return record.attributes;
  }

  /**
   * The records that an attribute list names for the stream (null: for any), each once, in the order of their first
   * VCN.
   */
  private async listedRecords(list: Attribute, type: number | null, name: string): Promise<number[]> {
    const bytes = list.value ?? (await this.wholeList(list));
    const view = viewOf(bytes);
    const found: { record: number; vcn: number }[] = [];
    for (let at = 0; at + 0x1a <= bytes.length;) {
      const length = view.getUint16(at + 4, true);
      if (length < 0x1a) throw new NtfsDamage('an attribute list is damaged');
      if (type === null || (view.getUint32(at, true) === type && view.getUint8(at + 6) === name.length)) {
        found.push({ record: recordOf(view, at + 0x10), vcn: Number(view.getBigUint64(at + 8, true)) });
      }
      at += length;
    }
    return [...new Set(found.sort((a, b) => a.vcn - b.vcn).map(({ record }) => record))];
  }

  private async wholeList(list: Attribute): Promise<Uint8Array> {
    const { dataSize: size, initialisedSize: initialised } = list;
    if (size > MAX_LIST_BYTES) throw new NtfsDamage('an attribute list is too long');
    return this.range({ size, initialised, content: { runs: this.decode(list) } }, 0, size);
  }

  private append(runs: ClusterRun[], attribute: Attribute): void {
    for (const run of this.decode(attribute)) runs.push(run);
    if (runs.length > MAX_RUNS) throw new NtfsDamage('a stream is in more pieces than any');
  }

  private decode(attribute: Attribute): ClusterRun[] {
    const runs = attribute.runs && decodeRuns(attribute.runs, attribute.lowestVcn, this.boot.clusters);
    if (!runs) throw new NtfsDamage('a run list is damaged');
    return runs;
  }
}

const isData = ({ type, name }: Attribute): boolean => type === ATTRIBUTE.data && name === '';

/** The run that holds a VCN; runs are in order. */
function runAt(runs: readonly ClusterRun[], vcn: number): ClusterRun | undefined {
  let [low, high] = [0, runs.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (runs[middle]!.vcn <= vcn) low = middle + 1;
    else high = middle;
  }
  const run = runs[low - 1];
  return run && vcn < run.vcn + run.clusters ? run : undefined;
}
