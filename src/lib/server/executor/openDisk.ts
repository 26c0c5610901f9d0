import { randomUUID } from 'node:crypto';
import { constants, existsSync } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { latin1 } from '$core/bytes';
import {
  openQcow2Device,
  openVhdDevice,
  openVhdxDevice,
  openVmdkDevice,
  resizedDescription,
  type Device,
  type OpenedDevice,
} from '$core/executor';
import type { ImageKind } from '$core/images/open';
import { isQcow2 } from '$core/images/qcow2';
import { isVhdx } from '$core/images/vhdx';
import { isVmdk } from '$core/images/vmdk';
import { isVmdkDescriptor, MAX_DESCRIPTOR, parseVmdkDescriptor } from '$core/images/vmdkDescriptor';
import { failure, type Outcome, refusal, success } from '$core/problem';
import { writeDurably } from '../platform/durable';
import { FileDevice } from './fileDevice';

const HEAD = 512;
const IMAGE = 'the image';

/** A disk in a file that is worked on. Closing it gives back what was set apart and never used. */
export interface OpenDisk {
  device: Device;
  kind: ImageKind;
  /** Serial of its disk, where the format has one that stays the same. */
  serial: string | null;
  close(): Promise<void>;
  /** Closes its files as they lie, as a power cut would. */
  leave(): Promise<void>;
}

/**
 * Opens a disk's file by what it is, not by its name: VHDX, qcow2, VMDK (in one file, or described with a plain one
 * beside it), VHD, else raw. The sector size of a raw one is told by where its table stands (domain facts 2).
 *
 * Problem codes: those of the formats (`vhd-broken`, `vhdx-log`, `qcow2-snapshots`, …), `vmdk-pieces`, and those of
 * {@link imageFiles}.
 */
export async function openDisk(path: string): Promise<Outcome<OpenDisk>> {
  const files = await imageFiles(path);
  if (!files.ok) return files;
  const file = await FileDevice.open(path, { name: IMAGE });
  const opened = await byKind(file, path);
  if (!opened.ok) await file.close();
  return opened;
}

async function byKind(file: FileDevice, path: string): Promise<Outcome<OpenDisk>> {
  // A description is text of a few hundred bytes, no whole sectors.
  if (isVmdkDescriptor(await headOf(path))) return described(file, path);
  if (file.size < 1024) return raw(file, path);
  if (await isVhdx(file)) return wrapped('vhdx', file, await openVhdxDevice(file, randomUUID));
  if (await isQcow2(file)) return wrapped('qcow2', file, await openQcow2Device(file));
  if (await isVmdk(file)) return wrapped('vmdk', file, await openVmdkDevice(file));
  const isVhd = async (at: number) => latin1((await file.read(at, 512)).subarray(0, 8)) === 'conectix';
  if ((await isVhd(file.size - 512)) || (await isVhd(0)))
    return wrapped('vhd', file, await openVhdDevice(file));
  return raw(file, path);
}

/** The first bytes of a file: opened without waiting, since a pipe may have taken its place. */
async function startOf(path: string, most: number): Promise<Buffer> {
  const file = await open(path, constants.O_RDONLY | constants.O_NONBLOCK);
  try {
    if (!(await file.stat()).isFile()) return Buffer.alloc(0);
    const { buffer, bytesRead } = await file.read(Buffer.alloc(most), 0, most, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}
const headOf = async (path: string): Promise<string> => (await startOf(path, HEAD)).toString('latin1');
/** A description, as far as there can be one. */
export const descriptionOf = async (path: string): Promise<string> =>
  (await startOf(path, MAX_DESCRIPTOR)).toString('utf8');

function wrapped(kind: OpenDisk['kind'], file: FileDevice, inside: Outcome<OpenedDevice>): Outcome<OpenDisk> {
  if (!inside.ok) return inside;
  const close = async () => {
    await inside.value.close();
    await file.close();
  };
  const serial = inside.value.serial ?? null;
  return success({ device: inside.value, kind, serial, close, leave: () => file.close() });
}

async function raw(file: FileDevice, path: string): Promise<Outcome<OpenDisk>> {
  const sectorSize = await sectorSizeOf(file);
  if (sectorSize === 512) return success(plain(file, file, 'raw'));
  await file.close();
  const other = await FileDevice.open(path, { sectorSize, name: IMAGE });
  return success(plain(other, other, 'raw'));
}

function plain(device: Device, file: FileDevice, kind: ImageKind): OpenDisk {
  const close = () => file.close();
  return { device, kind, serial: null, close, leave: close };
}

async function sectorSizeOf(file: FileDevice): Promise<512 | 4096> {
  if (file.size < 3 * 4096) return 512;
  const isHeader = async (at: number) => latin1((await file.read(at, 512)).subarray(0, 8)) === 'EFI PART';
  return !(await isHeader(512)) && (await isHeader(4096)) ? 4096 : 512;
}

/**
 * The files that an image is made of, where it is one that can be worked on.
 *
 * Problem codes: `no-image` (there is no such file, or it is none), `device` (a drive; only files are worked on),
 * `empty`.
 */
export async function imageFiles(path: string): Promise<Outcome<string[]>> {
  const there = await stat(path).catch(() => null);
  if (!there) return refusal('no-image', `There is no file ${path}.`);
  if (there.isBlockDevice() || there.isCharacterDevice())
    return refusal(
      'device',
      `${path} is a device. Only files that hold a disk are worked on; nothing was begun.`,
    );
  if (!there.isFile()) return refusal('no-image', `${path} is no file that could hold a disk.`);
  if (there.size === 0) return refusal('empty', `${path} is empty: it holds no disk.`);
  return success(await filesOf(path));
}

/** The files that an image is made of: a VMDK may be a description, and its bytes beside it. */
export async function filesOf(path: string): Promise<string[]> {
  const extent = isVmdkDescriptor(await headOf(path))
    ? parseVmdkDescriptor(await descriptionOf(path))?.extents[0]
    : undefined;
  const beside = extent && besideOf(path, extent.file);
  return beside && existsSync(beside) ? [path, beside] : [path];
}

/** A name only, never a path: it lies beside its description, or nowhere. */
const besideOf = (path: string, name: string): string | null =>
  ['', '.', '..'].includes(name) ? null : join(dirname(path), name);

/** A VMDK whose bytes lie plainly in one file beside its description; the description tells the size as well. */
async function described(file: FileDevice, path: string): Promise<Outcome<OpenDisk>> {
  const not = (code: string, message: string) => failure({ code, path: '', message });
  if (file.size > MAX_DESCRIPTOR)
    return not('vmdk-broken', 'The description of this VMDK is longer than any.');
  const descriptor = parseVmdkDescriptor(await descriptionOf(path));
  const [extent, ...more] = descriptor?.extents ?? [];
  if (!descriptor || !extent) return not('vmdk-broken', 'The description of this VMDK is damaged.');
  if (descriptor.encrypted)
    return not('vmdk-encrypted', 'This VMDK is encrypted. Make an unencrypted one first.');
  if (descriptor.hasParent)
    return not(
      'vmdk-parent',
      'This VMDK holds only differences to another file. Merge it with its parent first.',
    );
  if (more.length > 0 || extent.kind !== 'flat' || extent.first !== 0)
    return not('vmdk-kind', 'This VMDK is in several pieces. Make a monolithic copy of it first.');
  await file.close();
  const beside = besideOf(path, extent.file);
  if (!beside || !existsSync(beside))
    return not('vmdk-pieces', `The bytes of this VMDK are in “${extent.file}”, which is not beside it.`);
  const flat = await FileDevice.open(beside, { name: IMAGE });
  if (flat.size < extent.sectors * 512) {
    await flat.close();
    return not('vmdk-broken', `“${extent.file}” is shorter than its description says.`);
  }
  return success(plain(new Described(flat, path), flat, 'vmdk'));
}

class Described implements Device {
  readonly sectorSize = 512;
  constructor(
    private readonly flat: FileDevice,
    private readonly path: string,
  ) {}

  get size(): number {
    return this.flat.size;
  }

  read = (offset: number, length: number) => this.flat.read(offset, length);
  write = (offset: number, bytes: Uint8Array) => this.flat.write(offset, bytes);
  zero = (offset: number, length: number) => this.flat.zero(offset, length);
  flush = () => this.flat.flush();
  stretches = (offset: number, length: number) => this.flat.stretches(offset, length);

  /** The bytes first, then what tells of them: the other way round it would tell of more than there is. */
  async resize(size: number): Promise<void> {
    const text = resizedDescription(await descriptionOf(this.path), size / 512);
    const tell = () => writeDurably(this.path, text, { over: true });
    if (size < this.size) await tell();
    await this.flat.resize(size);
    await this.flat.flush();
    if (size >= this.size) await tell();
  }
}
