import { closeSync, mkdtempSync, openSync, readSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { testGpt, testId } from '../../../../../scripts/test/gpt';
import { bootRecord, type BootEntry } from '../../../../../scripts/test/mbrImage';
import { makeVolume, type VolumeSpec } from '../../../../../scripts/test/volume';
import { TYPE } from '../../disk';
import type { Creation, Step } from '../../steps';
import { writeGpt } from '../../tables';
import type { Device } from '../devices/device';
import { isZero } from '../devices/device';
import { MemoryDevice } from '../devices/memory';
import { stepOf } from './bareSteps';

const MIB = 2 ** 20;

/** A partition of a made-up disk; starts and sizes in MiB, or `firstSector` where it lies across them. */
export interface PartSpec extends Omit<VolumeSpec, 'make'> {
  number: number;
  at: number;
  firstSector?: number;
  make: VolumeSpec['make'] | 'noise';
  /** A volume that was made before: the path of its bytes. */
  prepared?: string;
  type?: string;
  mbrType?: number;
  kind?: 'primary' | 'logical';
  name?: string;
  attributes?: bigint;
}

export interface TestDiskSpec {
  /** MiB. */
  size: number;
  sectorSize?: 512 | 4096;
  table?: 'gpt' | 'mbr';
  /** MiB up to which the table knows the disk, where it was enlarged. */
  tableSize?: number;
  /** The extended partition, MiB. */
  extended?: { at: number; size: number };
  parts: PartSpec[];
}

/** A disk whose volumes were made by independent formatters, written to a device. */
export async function writeDisk(spec: TestDiskSpec, target: Device): Promise<void> {
  const sectorSize = spec.sectorSize ?? 512;
  const perMib = MIB / sectorSize;
  const place = (part: PartSpec) => ({
    first: part.firstSector ?? part.at * perMib,
    sectors: part.size * perMib,
  });
  if (spec.table === 'mbr') await writeMbr(spec, target, place);
  else {
    const table = testGpt(
      sectorSize,
      (spec.tableSize ?? spec.size) * perMib,
      spec.parts.map((part) => ({
        slot: part.number - 1,
        type: part.type ?? TYPE.basicData,
        id: testId(part.number),
        first: place(part).first,
        last: place(part).first + place(part).sectors - 1,
        attributes: part.attributes ?? 0n,
        name: part.name ?? '',
      })),
    );
    for (const { offset, bytes } of writeGpt(table)) await target.write(offset, bytes);
  }
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-lay-'));
  try {
    for (const part of spec.parts) await writeVolume(part, place(part).first, sectorSize, folder, target);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function writeVolume(
  part: PartSpec,
  first: number,
  sectorSize: 512 | 4096,
  folder: string,
  target: Device,
): Promise<void> {
  if (part.make === 'none') return;
  if (part.make === 'noise') {
    const bytes = Uint8Array.from({ length: part.size * MIB }, (_, i) => (i * 2654435761) >>> 24);
    return target.write(first * sectorSize, bytes);
  }
  const path = part.prepared ?? join(folder, `volume${part.number}.img`);
  if (!part.prepared) makeVolume(path, { ...part, make: part.make }, { sectorSize, first });
  const file = openSync(path, 'r');
  const piece = new Uint8Array(64 * 1024);
  for (let at = 0, length = 1; length > 0; at += length) {
    length = readSync(file, piece, 0, piece.length, at);
    const bytes = piece.subarray(0, length);
    if (!isZero(bytes)) await target.write(first * sectorSize + at, bytes);
  }
  closeSync(file);
  if (!part.prepared) rmSync(path);
}

async function writeMbr(
  spec: TestDiskSpec,
  target: Device,
  place: (part: PartSpec) => { first: number; sectors: number },
): Promise<void> {
  const perMib = MIB / 512;
  const entry = (part: PartSpec): BootEntry => ({ type: part.mbrType ?? 0x07, ...place(part) });
  const entries = spec.parts.filter(({ kind }) => kind !== 'logical').map(entry);
  const { extended } = spec;
  if (extended) {
    const frame = { first: extended.at * perMib, sectors: extended.size * perMib };
    entries.push({ type: 0x0f, ...frame });
    const drives = spec.parts.filter(({ kind }) => kind === 'logical');
    const recordAt = (i: number) => (i === 0 ? frame.first : place(drives[i]!).first - perMib);
    for (const [i, drive] of drives.entries()) {
      const own = recordAt(i);
      const { first, sectors } = place(drive);
      const chain: BootEntry[] = [{ type: drive.mbrType ?? 0x07, first: first - own, sectors }];
      const next = drives[i + 1];
      if (next) {
        const at = recordAt(i + 1);
        chain.push({
          type: 0x05,
          first: at - frame.first,
          sectors: place(next).first + place(next).sectors - at,
        });
      }
      await target.write(own * 512, new Uint8Array(bootRecord(chain)));
    }
  }
  await target.write(0, new Uint8Array(bootRecord(entries, 0x6c1f00d5)));
}

export async function memoryDisk(spec: TestDiskSpec): Promise<MemoryDevice> {
  const disk = new MemoryDevice(spec.size * MIB, spec.sectorSize ?? 512);
  await writeDisk(spec, disk);
  return disk;
}

/** Steps on such a disk, with places in MiB; they remember where the steps before them left a partition. */
export class StepMaker {
  private readonly steps: Step[] = [];
  private readonly places = new Map<number, { first: number; sectors: number }>();
  private readonly made = new Set<number>();
  private readonly perMib: number;

  constructor(private readonly spec: TestDiskSpec) {
    this.perMib = MIB / (spec.sectorSize ?? 512);
    for (const part of spec.parts) {
      const first = part.firstSector ?? part.at * this.perMib;
      this.places.set(part.number, { first, sectors: part.size * this.perMib });
    }
    if (spec.extended)
      this.places.set(0, {
        first: spec.extended.at * this.perMib,
        sectors: spec.extended.size * this.perMib,
      });
  }

  private subject(number: number) {
    const id = this.spec.table === 'mbr' || this.made.has(number) ? null : testId(number);
    return { partition: number, id, from: this.places.get(number)! };
  }

  move(number: number, at: number): this {
    const subject = this.subject(number);
    const to = { first: at * this.perMib, sectors: subject.from.sectors };
    this.steps.push(stepOf('move', { ...subject, to }));
    this.places.set(number, to);
    return this;
  }

  /** @param size MiB in all */
  extend(number: number, size: number): this {
    const subject = this.subject(number);
    const to = { first: subject.from.first, sectors: size * this.perMib };
    this.steps.push(stepOf('extend', { ...subject, to }));
    this.places.set(number, to);
    return this;
  }

  /** @param size MiB in all */
  shrink(number: number, size: number): this {
    const subject = this.subject(number);
    const to = { first: subject.from.first, sectors: size * this.perMib };
    this.steps.push(stepOf('shrink', { ...subject, to }));
    this.places.set(number, to);
    return this;
  }

  /** The extended partition, MiB. */
  frame(verb: 'extend' | 'shrink', at: number, size: number): this {
    const to = { first: at * this.perMib, sectors: size * this.perMib };
    this.steps.push(stepOf(verb, { ...this.subject(0), to }));
    this.places.set(0, to);
    return this;
  }

  remove(number: number): this {
    this.steps.push(stepOf('delete', { ...this.subject(number), to: null }));
    return this;
  }

  setAside(number: number): this {
    this.steps.push(stepOf('set-aside', { ...this.subject(number), to: null }));
    return this;
  }

  /** @param size MiB in all, where it is another than it had */
  putBack(number: number, at: number, size?: number): this {
    const { id, from } = this.subject(number);
    const to = { first: at * this.perMib, sectors: size === undefined ? from.sectors : size * this.perMib };
    this.steps.push(
      stepOf('put-back', { partition: number, id, from: null, to, create: this.creation(number) }),
    );
    this.places.set(number, to);
    return this;
  }

  /** A new volume, with what one of the disk is made with, but for what is said. MiB. */
  create(number: number, at: number, size: number, like: number, more: Partial<Creation> = {}): this {
    const to = { first: at * this.perMib, sectors: size * this.perMib };
    const create = { ...this.creation(like), ...more };
    this.steps.push(stepOf('create', { partition: number, id: null, from: null, to, create }));
    this.places.set(number, to);
    this.made.add(number);
    return this;
  }

  copy(number: number, into: number): this {
    this.steps.push(stepOf('copy', { ...this.still(number), into: { partition: into } }));
    return this;
  }

  copyOut(number: number): this {
    this.steps.push(stepOf('copy', { ...this.still(number), into: { outside: 'the NAS' } }));
    return this;
  }

  copyBack(number: number, of: number): this {
    this.steps.push(stepOf('copy', { ...this.still(number), fromOutside: 'the NAS', of }));
    return this;
  }

  private still(number: number) {
    const { partition, id } = this.subject(number);
    return { partition, id, from: null, to: null };
  }

  private creation(number: number): Creation {
    const part = this.spec.parts.find((one) => one.number === number)!;
    return {
      type:
        this.spec.table === 'mbr'
          ? `0x${(part.mbrType ?? 0x07).toString(16)}`
          : (part.type ?? TYPE.basicData),
      attributes: `0x${(part.attributes ?? 0n).toString(16).padStart(16, '0')}`,
      name: part.name ?? '',
      fileSystem: part.make === 'noise' || part.make === 'none' ? 'unknown' : part.make,
      clusterSize: part.clusterSize ?? 4096,
      label: part.label ?? '',
    };
  }

  relocate(): this {
    this.steps.push(stepOf('relocate-table', { partition: null, id: null, from: null, to: null }));
    return this;
  }

  /** @param size MiB in all */
  enlarge(size: number): this {
    const whole = { partition: null, id: null, from: null, to: null };
    this.steps.push(stepOf('enlarge-disk', { ...whole, diskSectors: size * this.perMib }));
    return this;
  }

  get all(): Step[] {
    return this.steps;
  }
}
