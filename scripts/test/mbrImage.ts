import { closeSync, ftruncateSync, mkdtempSync, openSync, rmSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { copySparse, makeVolume, type VolumeSpec } from './volume';

export interface MbrVolume extends VolumeSpec {
  /** Type byte. */
  type: number;
  kind: 'primary' | 'logical';
  active?: boolean;
}

const MIB = 1024 * 1024;
const PER_MIB = MIB / 512;

/** An entry of a boot record; in an extended one its start is relative. */
export interface BootEntry {
  type: number;
  first: number;
  sectors: number;
  active?: boolean;
}

/** A master or extended boot record: entries from byte 446, each 16 bytes, and the mark at the end. */
export function bootRecord(entries: readonly BootEntry[], signature = 0): Buffer {
  const bytes = Buffer.alloc(512);
  bytes.writeUInt32LE(signature, 0x1b8);
  entries.forEach(({ type, first, sectors, active }, i) => {
    const at = 0x1be + 16 * i;
    bytes[at] = active ? 0x80 : 0;
    bytes[at + 4] = type;
    bytes.writeUInt32LE(first, at + 8);
    bytes.writeUInt32LE(sectors, at + 12);
  });
  bytes.writeUInt16LE(0xaa55, 510);
  return bytes;
}

/**
 * A raw disk image with a master boot record: primaries first, then one extended partition that holds all
 * logical drives, each with its record 1 MiB before it.
 */
export function makeMbrImage(volumes: readonly MbrVolume[]): { path: string; remove: () => void } {
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-mbr-'));
  const path = join(folder, 'disk.img');
  const primary = volumes.filter((volume) => volume.kind === 'primary');
  const logical = volumes.filter((volume) => volume.kind === 'logical');
  const places: { volume: MbrVolume; first: number }[] = [];
  let at = 1;
  for (const volume of primary) {
    places.push({ volume, first: at * PER_MIB });
    at += volume.size;
  }
  const extendedAt = at * PER_MIB;
  const records = logical.map((volume) => {
    const own = at * PER_MIB;
    places.push({ volume, first: own + PER_MIB });
    at += 1 + volume.size;
    return { volume, own };
  });

  const image = openSync(path, 'w+');
  ftruncateSync(image, (at + 10) * MIB);
  const entries: BootEntry[] = places.slice(0, primary.length).map(({ volume, first }) => {
    const { type, active } = volume;
    return { type, active, first, sectors: volume.size * PER_MIB };
  });
  if (logical.length > 0) entries.push({ type: 0x0f, first: extendedAt, sectors: at * PER_MIB - extendedAt });
  writeSync(image, bootRecord(entries, 0x6c1f00d5), 0, 512, 0);
  records.forEach(({ volume, own }, i) => {
    const chain: BootEntry[] = [{ type: volume.type, first: PER_MIB, sectors: volume.size * PER_MIB }];
    const next = records[i + 1];
    // The drive counts from its own record, the next record from the start of the extended partition.
    if (next)
      chain.push({ type: 0x05, first: next.own - extendedAt, sectors: (1 + next.volume.size) * PER_MIB });
    writeSync(image, bootRecord(chain), 0, 512, own * 512);
  });
  for (const [i, { volume, first }] of places.entries()) {
    if (volume.make === 'none') continue;
    const file = join(folder, `volume${i}.img`);
    makeVolume(file, volume, { sectorSize: 512, first });
    copySparse(file, image, first * 512);
  }
  closeSync(image);
  return { path, remove: () => rmSync(folder, { recursive: true, force: true }) };
}
