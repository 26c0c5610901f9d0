import { existsSync } from 'node:fs';
import { DeviceFailure, makeDynamicVhd, openVhdDevice, type Device, type Stretch } from '$core/executor';
import { placeDurably } from '../platform/durable';
import { FileDevice } from './fileDevice';

/**
 * What a run keeps beside its disk. It lies in a dynamic VHD, so that what holds nothing is neither read nor written:
 * the file system of a server doesn't tell where a plain file has holes. It is made once its size is known.
 */
export class Store implements Device {
  private constructor(
    private readonly path: string,
    readonly sectorSize: number,
    private file: FileDevice | null,
    private device: Device | null,
  ) {}

  static async open(path: string, sectorSize: number): Promise<Store> {
    // A file system that does not keep its word may have lost the name that a finished store was given.
    const found = [path, unnamed(path)].find((one) => existsSync(one));
    if (found === undefined) return new Store(path, sectorSize, null, null);
    const file = await FileDevice.open(found, { name: NAME });
    const vhd = await openVhdDevice(file, sectorSize);
    if (vhd.ok) {
      if (found !== path) await placeDurably(found, path, { over: true });
      return new Store(path, sectorSize, file, vhd.value);
    }
    await file.close();
    if (found === path)
      throw new StoreDamage(`What the run keeps in ${path} can’t be read: ${vhd.problems[0]!.message}`);
    // It was cut short while it was made: nothing was put into it.
    return new Store(path, sectorSize, null, null);
  }

  get size(): number {
    return this.device?.size ?? 0;
  }

  /** Under its name it is whole, and the name is safe, before anything relies on it. */
  async resize(size: number): Promise<void> {
    if (this.device) return this.device.resize(size);
    const file = await FileDevice.open(unnamed(this.path), { create: true, name: NAME });
    this.device = await makeDynamicVhd(file, size, this.sectorSize, 1);
    await placeDurably(unnamed(this.path), this.path, { over: true });
    this.file = file;
  }

  read = (offset: number, length: number): Promise<Uint8Array> => this.made().read(offset, length);
  write = (offset: number, bytes: Uint8Array): Promise<void> => this.made().write(offset, bytes);
  zero = (offset: number, length: number): Promise<void> => this.made().zero(offset, length);
  stretches = (offset: number, length: number): Promise<Stretch[]> => this.made().stretches(offset, length);
  flush = async (): Promise<void> => this.device?.flush();
  close = async (): Promise<void> => this.file?.close();

  private made(): Device {
    if (!this.device) throw new Error('a store is used before its size is known');
    return this.device;
  }
}

/** The store of a run can't be read; `message` is a sentence for people. */
export class StoreDamage extends DeviceFailure {
  constructor(message: string) {
    super('read-error', message);
  }
}

const NAME = 'what the run keeps beside the disk';
/** Name of a store until it is whole. */
const unnamed = (path: string): string => `${path}.new`;
