import { rename, rm } from 'node:fs/promises';
import { makeDynamicVhd, openVhdDevice, type Device, type Stretch } from '$core/bench';
import { FileDevice } from './fileDevice';

/**
 * What a run keeps beside its disk. It lies in a dynamic VHD, so that what holds nothing is neither read nor written: the file
 * system of a server doesn't tell where a plain file has holes. It is made once its size is known.
 */
export class Store implements Device {
  private constructor(
    private readonly path: string,
    readonly sectorSize: number,
    private file: FileDevice | null,
    private device: Device | null,
  ) {}

  static async open(path: string, sectorSize: number): Promise<Store> {
    // Left by a cut while it was made: nothing leads to it.
    await rm(`${path}.new`, { force: true });
    let file: FileDevice;
    try {
      file = await FileDevice.open(path);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
      return new Store(path, sectorSize, null, null);
    }
    const vhd = await openVhdDevice(file, sectorSize);
    if (vhd.ok) return new Store(path, sectorSize, file, vhd.value);
    // Version 0.5 kept plain files.
    await file.close();
    const plain = await FileDevice.open(path, { sectorSize });
    return new Store(path, sectorSize, plain, plain);
  }

  get size(): number {
    return this.device?.size ?? 0;
  }

  async resize(size: number): Promise<void> {
    if (this.device) return this.device.resize(size);
    const file = await FileDevice.open(`${this.path}.new`, { create: true });
    this.device = await makeDynamicVhd(file, size, this.sectorSize, 1);
    await rename(`${this.path}.new`, this.path);
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
