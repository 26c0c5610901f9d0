import { latin1, viewOf } from '../../../bytes';
import { vhdChecksum } from '../../../images/vhd';
import type { Device } from '../device';

export const SECTOR = 512;
export const ABSENT = 0xffffffff;
export const HEADER_AT = 512;
export const USUAL_BLOCK = 2 * 2 ** 20;
export const TYPE = { fixed: 2, dynamic: 3 } as const;
/** 2000-01-01, from which the format counts its seconds (domain facts 11). */
const EPOCH = 946_684_800;

/** The footer at a place, or null where its checksum is wrong. */
export async function readSoundSector(file: Device, at: number): Promise<Uint8Array | null> {
  const bytes = (await file.read(at, SECTOR)).slice();
  const good =
    latin1(bytes.subarray(0, 8)) === 'conectix' && vhdChecksum(bytes, 64) === viewOf(bytes).getUint32(64);
  return good ? bytes : null;
}

/** The identifier that a VHD keeps as long as it lives. */
export const serialOf = (footer: Uint8Array): string =>
  [...footer.subarray(68, 84)].map((byte) => byte.toString(16).padStart(2, '0')).join('');

/** The footer of a dynamic one. */
export function footerOf(size: number, seed: number): Uint8Array {
  const bytes = new Uint8Array(SECTOR);
  const view = viewOf(bytes);
  bytes.set(new TextEncoder().encode('conectix'));
  view.setUint32(8, 2);
  view.setUint32(12, 0x00010000);
  view.setBigUint64(16, BigInt(HEADER_AT));
  view.setUint32(24, Math.max(0, 1_767_225_600 - EPOCH));
  bytes.set(new TextEncoder().encode('gtid'), 28);
  view.setUint32(32, 0x00010000);
  view.setUint32(60, TYPE.dynamic);
  view.setUint32(68, seed >>> 0);
  view.setUint32(72, 0x47544944);
  return resizeFooter(bytes, size);
}

/** The footer with another size: present size, and the geometry that goes with it. */
export function resizeFooter(footer: Uint8Array, size: number): Uint8Array {
  const bytes = footer.slice();
  const view = viewOf(bytes);
  if (view.getBigUint64(40) === 0n) view.setBigUint64(40, BigInt(size));
  view.setBigUint64(48, BigInt(size));
  const cylinders = Math.min(65535, Math.floor(size / SECTOR / (16 * 255)));
  view.setUint16(56, cylinders);
  bytes[58] = 16;
  bytes[59] = 255;
  view.setUint32(64, vhdChecksum(bytes, 64));
  return bytes;
}

/** The header of a dynamic one; its blocks are as large as is usual. */
export function headerOf(tableAt: number, entries: number): Uint8Array {
  const bytes = new Uint8Array(1024);
  const view = viewOf(bytes);
  bytes.set(new TextEncoder().encode('cxsparse'));
  view.setBigUint64(8, 0xffffffffffffffffn);
  view.setBigUint64(16, BigInt(tableAt));
  view.setUint32(24, 0x00010000);
  view.setUint32(28, entries);
  view.setUint32(32, USUAL_BLOCK);
  view.setUint32(36, vhdChecksum(bytes, 36));
  return bytes;
}

export const roundUp = (value: number, unit: number): number => Math.ceil(value / unit) * unit;
