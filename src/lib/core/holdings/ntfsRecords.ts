import { viewOf } from '../bytes';
import { mendInPlace } from '../volumes/ntfs/updateSequence';
import { ATTRIBUTE } from '../volumes/ntfs/record';
import { dayOfNtfs } from './days';

/** Sizes in one file record, read in place: a volume may have millions of them. */
export interface RecordFacts {
  kind: 'unused' | 'damaged' | 'read';
  folder: boolean;
  sequence: number;
  /** The record that it continues, or -1. */
  base: number;
  /** Clusters of all its streams. */
  clusters: number;
  /** Record and sequence of the folder that it lies in; -1: no name stands here. */
  parent: number;
  parentSequence: number;
  /** Start of its name in {@link RecordReader.bytes}, and how many units it has. */
  nameAt: number;
  nameUnits: number;
  /** `days.ts`. */
  created: number;
  changed: number;
}

const FILE = 0x454c4946;
const FLAG = { used: 1, folder: 2 } as const;
/** Start of a name's text in its attribute; before it stand its units and its kind. */
export const NAME_AT = 0x42;
/** A name of eight and three characters beside the real one. */
export const SHORT_NAME = 2;
const MAX_CLUSTERS = 2 ** 40;

/**
 * Reads file records one after the other into the same place. What it goes by are runs and names alone (domain facts
 * 4): sizes that a record says of itself can be recomputed, so they are not believed.
 */
export class RecordReader {
  readonly bytes: Uint8Array;
  readonly facts: RecordFacts = {
    kind: 'unused',
    folder: false,
    sequence: 0,
    base: -1,
    clusters: 0,
    parent: -1,
    parentSequence: 0,
    nameAt: 0,
    nameUnits: 0,
    created: 0,
    changed: 0,
  };
  private readonly view: DataView;

  constructor(
    recordSize: number,
    private readonly volumeClusters: number,
  ) {
    this.bytes = new Uint8Array(recordSize);
    this.view = viewOf(this.bytes);
  }

  /** Reads the record that stands at `at` of `piece`, which is left as it is. */
  read(piece: Uint8Array, at: number): RecordFacts {
    const { bytes, view, facts } = this;
    bytes.set(piece.subarray(at, at + bytes.length));
    facts.kind = 'unused';
    if (view.getUint32(0, true) !== FILE) {
      // A record that was never written is zeros; one that failed a check says BAAD.
      if (view.getUint32(0, true) !== 0) facts.kind = 'damaged';
      return facts;
    }
    const flags = view.getUint16(0x16, true);
    if ((flags & FLAG.used) === 0) return facts;
    facts.folder = (flags & FLAG.folder) !== 0;
    facts.sequence = view.getUint16(0x10, true);
    const base = this.reference(0x20);
    facts.base = base === 0 && view.getUint16(0x26, true) === 0 ? -1 : base;
    facts.clusters = 0;
    facts.parent = -1;
    facts.created = 0;
    facts.changed = 0;
    facts.kind = mendInPlace(view) && this.attributes() ? 'read' : 'damaged';
    return facts;
  }

  /** The 48 bits of a reference that are the record's number. */
  private reference(at: number): number {
    return this.view.getUint32(at, true) + this.view.getUint16(at + 4, true) * 2 ** 32;
  }

  private attributes(): boolean {
    const { view, facts } = this;
    const used = view.getUint32(0x18, true);
    if (used > this.bytes.length) return false;
    for (let at = view.getUint16(0x14, true); at + 4 <= used;) {
      const type = view.getUint32(at, true);
      if (type === ATTRIBUTE.end) return true;
      if (at + 0x18 > used) return false;
      const length = view.getUint32(at + 4, true);
      if (length < 0x18 || at + length > used) return false;
      if (view.getUint8(at + 8) !== 0) {
        if (length < 0x40) return false;
        const clusters = this.clustersIn(at + view.getUint16(at + 0x20, true), at + length);
        if (clusters < 0) return false;
        facts.clusters += clusters;
      } else if (type === ATTRIBUTE.standard || type === ATTRIBUTE.fileName) {
        const valueAt = at + view.getUint16(at + 0x14, true);
        const size = view.getUint32(at + 0x10, true);
        if (valueAt + size > at + length) return false;
        if (type === ATTRIBUTE.fileName) this.name(valueAt, size);
        else if (size >= 0x20) {
          facts.created = dayOfNtfs(view.getUint32(valueAt, true), view.getUint32(valueAt + 4, true));
          facts.changed = dayOfNtfs(view.getUint32(valueAt + 8, true), view.getUint32(valueAt + 12, true));
        }
      }
      at += length;
    }
    return false;
  }

  /** The first name counts, so that a file with several is counted once; a short one only where there is no other. */
  private name(at: number, size: number): void {
    const { view, facts } = this;
    if (size < NAME_AT) return;
    const units = view.getUint8(at + NAME_AT - 2);
    const short = view.getUint8(at + NAME_AT - 1) === SHORT_NAME;
    if (NAME_AT + 2 * units > size || (facts.parent >= 0 && (short || !this.nameIsShort))) return;
    this.nameIsShort = short;
    facts.parent = this.reference(at);
    facts.parentSequence = view.getUint16(at + 6, true);
    facts.nameAt = at + NAME_AT;
    facts.nameUnits = units;
  }
  private nameIsShort = false;

  /** Clusters that a run list names on the volume, sparse runs left out (domain facts 4); -1: it is damaged. */
  private clustersIn(at: number, end: number): number {
    const { bytes } = this;
    let clusters = 0;
    for (; at < end && bytes[at] !== 0;) {
      const lengthBytes = bytes[at]! & 0x0f;
      const offsetBytes = bytes[at]! >> 4;
      if (lengthBytes === 0 || lengthBytes > 8 || offsetBytes > 8 || at + 1 + lengthBytes + offsetBytes > end)
        return -1;
      let length = 0;
      for (let i = lengthBytes; i > 0; i--) length = length * 256 + bytes[at + i]!;
      if (length === 0 || length > MAX_CLUSTERS) return -1;
      if (offsetBytes > 0) clusters += length;
      if (clusters > this.volumeClusters) return -1;
      at += 1 + lengthBytes + offsetBytes;
    }
    return clusters;
  }
}
