import type { ByteSource } from '../../images/source';
import type { NtfsBoot } from './bootSector';
import { ATTRIBUTE, parseRecord, type Attribute } from './record';
import { decodeRuns, type Run } from './runs';

/** A stream of a file, wherever its extents are recorded. */
export interface Stream {
  size: number;
  /** A resident stream carries its bytes, any other its runs. */
  content: { resident: Uint8Array } | { runs: Run[] };
}

/** A metadata structure that can't be used; `message` says which, for people. */
export class NtfsDamage extends Error {}

/** Far above any real list (256 KiB is its bound on disk); keeps damaged ones from taking memory. */
const MAX_LIST_BYTES = 1024 * 1024;

/** Reads file records and streams of an NTFS volume by number. */
export class NtfsVolume {
  private constructor(
    private readonly source: ByteSource,
    readonly boot: NtfsBoot,
    private mft: Run[],
  ) {}

  /** Finds the whole $MFT, starting from the boot sector alone. @throws NtfsDamage */
  static async open(source: ByteSource, boot: NtfsBoot): Promise<NtfsVolume> {
    const recordClusters = Math.max(1, Math.ceil(boot.recordSize / boot.clusterSize));
    const first = { vcn: 0, lcn: boot.mftCluster, clusters: recordClusters };
    const volume = new NtfsVolume(source, boot, [first]);
    // First what record 0 itself holds, so that extension records named by its attribute list can be found.
    const own = (await volume.attributes(0)).find((a) => a.type === ATTRIBUTE.data && a.lowestVcn === 0);
    if (!own?.runs) throw new NtfsDamage('the $MFT has no data');
    volume.mft = volume.decode(own);
    const whole = await volume.stream(0, ATTRIBUTE.data);
    if ('runs' in whole.content) volume.mft = whole.content.runs;
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
    const base = await this.attributes(record);
    const list = base.find((attribute) => attribute.type === ATTRIBUTE.list);
    const parts = base.filter(matches);
    if (list) {
      for (const other of await this.listedRecords(list, type, name)) {
        if (other !== record) parts.push(...(await this.attributes(other)).filter(matches));
      }
    }
    parts.sort((a, b) => a.lowestVcn - b.lowestVcn);
    const [first] = parts;
    if (!first) return null;
    if (first.value) return { size: first.value.length, content: { resident: first.value } };
    return { size: first.dataSize, content: { runs: parts.flatMap((part) => this.decode(part)) } };
  }

  /** Yields the stream in pieces of at most `pieceSize` bytes (a whole number of clusters); sparse parts as zeros. */
  async *pieces(stream: Stream, pieceSize: number): AsyncGenerator<Uint8Array> {
    if ('resident' in stream.content) {
      yield stream.content.resident;
      return;
    }
    let left = stream.size;
    for (const run of stream.content.runs) {
      const runBytes = Math.min(left, run.clusters * this.boot.clusterSize);
      for (let at = 0; at < runBytes; at += pieceSize) {
        const length = Math.min(pieceSize, runBytes - at);
        yield run.lcn === null
          ? new Uint8Array(length)
          : await this.source.read(run.lcn * this.boot.clusterSize + at, length);
      }
      left -= runBytes;
    }
    if (left > 0) throw new NtfsDamage('a stream is longer than its runs');
  }

  private async attributes(record: number): Promise<Attribute[]> {
    const parsed = parseRecord(await this.source.read(this.recordOffset(record), this.boot.recordSize));
    if (!parsed) throw new NtfsDamage(`file record ${record} is damaged`);
    return parsed;
  }

  private recordOffset(record: number): number {
    const { recordSize, clusterSize } = this.boot;
    const at = record * recordSize;
    const vcn = Math.floor(at / clusterSize);
    const run = this.mft.find(
      (candidate) => vcn >= candidate.vcn && vcn < candidate.vcn + candidate.clusters,
    );
    if (!run || run.lcn === null) throw new NtfsDamage(`file record ${record} lies outside the $MFT`);
    return (run.lcn + vcn - run.vcn) * clusterSize + (at % clusterSize);
  }

  /** The records that an attribute list names for the stream, each once. */
  private async listedRecords(list: Attribute, type: number, name: string): Promise<number[]> {
    const bytes = list.value ?? (await this.wholeList(list));
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const records = new Set<number>();
    for (let at = 0; at + 0x1a <= bytes.length;) {
      const length = view.getUint16(at + 4, true);
      if (length < 0x1a) throw new NtfsDamage('an attribute list is damaged');
      if (view.getUint32(at, true) === type && view.getUint8(at + 6) === name.length) {
        records.add(Number(view.getBigUint64(at + 0x10, true) & 0xffffffffffffn));
      }
      at += length;
    }
    return [...records];
  }

  private async wholeList(list: Attribute): Promise<Uint8Array> {
    if (list.dataSize > MAX_LIST_BYTES) throw new NtfsDamage('an attribute list is too long');
    const bytes = new Uint8Array(list.dataSize);
    let at = 0;
    const stream = { size: list.dataSize, content: { runs: this.decode(list) } };
    for await (const piece of this.pieces(stream, 16 * this.boot.clusterSize)) {
      bytes.set(piece, at);
      at += piece.length;
    }
    return bytes;
  }

  private decode(attribute: Attribute): Run[] {
    const runs = attribute.runs && decodeRuns(attribute.runs, attribute.lowestVcn, this.boot.clusters);
    if (!runs) throw new NtfsDamage('a run list is damaged');
    return runs;
  }
}
