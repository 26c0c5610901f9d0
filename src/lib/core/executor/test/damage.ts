import { closeSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeVolume } from '../../../../../scripts/test/volume';
import { Records } from '../proof/ntfsRecords';
import { makeBytesSource } from '../../images/source';
import { makeFreshFolder } from './mounted';

/** A volume that is worth damaging: folders with large indexes, files in many pieces. */
export function volumeToDamage(): Uint8Array {
  const folder = makeFreshFolder('damage');
  const path = join(folder, 'volume.img');
  try {
    makeVolume(path, { size: 24, make: 'ntfs', label: 'Checked', inside }, { sectorSize: 512, first: 2048 });
    return new Uint8Array(readFileSync(path));
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

function inside(into: string): void {
  for (let dir = 0; dir < 4; dir++) {
    mkdirSync(join(into, `folder ${dir}`));
    for (let i = 0; i < 150; i++)
      writeFileSync(join(into, `folder ${dir}`, `file number ${i} of ${dir}.txt`), Buffer.alloc(i * 60, i));
  }
  // Many pieces: what is written in turn lies in turn.
  const files = ['a', 'b'].map((name) => openSync(join(into, name), 'w'));
  for (let i = 0; i < 60; i++) for (const file of files) writeFileSync(file, Buffer.alloc(4096, i));
  files.forEach(closeSync);
}

/** Ways to damage a volume that leave it looking like one. Each returns false where this try changes nothing. */
export const DAMAGE: Record<string, (bytes: Uint8Array, random: () => number, facts: Facts) => void> = {
  'a cluster in use counts as free': (bytes, random, { bitmap, used }) => {
    const cluster = used[Math.floor(random() * used.length)]!;
    bytes[bitmap + (cluster >> 3)]! &= ~(1 << (cluster & 7));
  },
  'a free cluster counts as in use': (bytes, random, { bitmap, free }) => {
    const cluster = free[Math.floor(random() * free.length)]!;
    bytes[bitmap + (cluster >> 3)]! |= 1 << (cluster & 7);
  },
  'a torn file record': (bytes, random, { record }) => {
    bytes[record(24 + Math.floor(random() * 500)) + (random() < 0.5 ? 510 : 1022)]! ^= 0x5a;
  },
  'a record that is not in use any more': (bytes, random, { record }) => {
    bytes[record(64 + Math.floor(random() * 400)) + 0x16]! &= ~1;
  },
  'another sequence number': (bytes, random, { record }) => {
    bytes[record(64 + Math.floor(random() * 400)) + 0x10]! ^= 0x04;
  },
  'a run that leads elsewhere': (bytes, random, { runs }) => {
    const at = runs[Math.floor(random() * runs.length)]!;
    bytes[at + 1 + (bytes[at]! & 15)]! ^= 1 + Math.floor(random() * 100);
  },
  'a run of another length': (bytes, random, { runs }) => {
    bytes[runs[Math.floor(random() * runs.length)]! + 1]! ^= 3;
  },
  'the mirror': (bytes, random, { mirror }) => {
    bytes[mirror + Math.floor(random() * 4096)]! ^= 0x10;
  },
  'the backup boot sector': (bytes, random) => {
    bytes[bytes.length - 512 + Math.floor(random() * 80)]! ^= 0x01;
  },
  'the boot sector’s length': (bytes) => {
    bytes[0x28]! ^= 0x08;
  },
  'a torn block of an index': (bytes, random, { blocks }) => {
    bytes[blocks[Math.floor(random() * blocks.length)]! + 512 * (1 + Math.floor(random() * 8)) - 1]! ^= 0x33;
  },
  'another name in an index': (bytes, random, { blocks }) => {
    // Behind the header of the first entry: its length stays, a letter changes.
    bytes[blocks[Math.floor(random() * blocks.length)]! + 0x40 + 0x52 + 2]! ^= 0x03;
  },
  'another record in an index': (bytes, random, { blocks }) => {
    bytes[blocks[Math.floor(random() * blocks.length)]! + 0x40]! ^= 0x07;
  },
  'a block of an index that says it is another': (bytes, random, { blocks }) => {
    bytes[blocks[Math.floor(random() * blocks.length)]! + 0x10]! ^= 0x02;
  },
  'a file record’s magic': (bytes, random, { record }) => {
    bytes[record(24 + Math.floor(random() * 500))] = 0x42;
  },
  'an attribute’s length': (bytes, random, { record }) => {
    bytes[record(64 + Math.floor(random() * 400)) + 0x38 + 4]! ^= 0x24;
  },
};

/** Places of the parts of a volume that are worth damaging. */
export interface Facts {
  bitmap: number;
  mirror: number;
  used: number[];
  free: number[];
  record: (number: number) => number;
  /** Starts of the mapping pairs of files. */
  runs: number[];
  blocks: number[];
}

export async function factsOf(bytes: Uint8Array): Promise<Facts> {
  const records = await Records.open(makeBytesSource(bytes));
  const { geo, mft } = records;
  const map = (await records.read(6))!.attrs.find(({ type }) => type === 0x80)!;
  const bitmap = map.pieces[0]!.lcn * geo.cluster;
  const clusters = Array.from({ length: geo.clusters }, (_, i) => i);
  const isUsed = (i: number) => ((bytes[bitmap + (i >> 3)]! >> (i & 7)) & 1) === 1;
  const record = (number: number) => {
    const piece = mft.find(({ vcn, count }) => number * geo.record < (vcn + count) * geo.cluster)!;
    return piece.lcn * geo.cluster + number * geo.record - piece.vcn * geo.cluster;
  };
  const runs: number[] = [];
  for (let number = 64; number < 600; number++) {
    const at = record(number);
    for (let a = at + bytes[at + 0x14]!; bytes[a] !== 0xff;) {
      const view = new DataView(bytes.buffer, a);
      const inFirst = a + view.getUint16(0x20, true) - at < 480;
      if (view.getUint32(0, true) === 0x80 && view.getUint8(8) === 1 && inFirst)
        runs.push(a + view.getUint16(0x20, true));
      a += view.getUint32(4, true) || 1024;
      if (a >= at + 1024) break;
    }
  }
  const blocks = clusters
    .map((i) => i * geo.cluster)
    .filter(
      (at) => String.fromCharCode(...bytes.subarray(at, at + 4)) === 'INDX' && isUsed(at / geo.cluster),
    );
  return {
    bitmap,
    mirror: geo.mirror * geo.cluster,
    used: clusters.filter(isUsed),
    free: clusters.filter((i) => !isUsed(i)),
    record,
    runs,
    blocks,
  };
}
