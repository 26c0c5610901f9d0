import { open, type FileHandle } from 'node:fs/promises';
import { checkRange, DeviceFailure, isZero, type Device, type Stretch } from '$core/bench';
import { ReadBeyondEnd } from '$core/images/source';

const CHUNK = 4 * 2 ** 20;

/** A raw disk in a file. Zeros are not written where there are zeros already, so that a sparse file stays sparse. */
export class FileDevice implements Device {
  private constructor(
    private readonly file: FileHandle,
    public size: number,
    readonly sectorSize: number,
  ) {}

  /** @param create make it, with no bytes, where it is not there */
  static async open(
    path: string,
    {
      sectorSize = 512,
      write = true,
      create = false,
    }: { sectorSize?: number; write?: boolean; create?: boolean } = {},
  ): Promise<FileDevice> {
    let file: FileHandle;
    try {
      file = await open(path, write ? 'r+' : 'r');
    } catch (error) {
      if (!create || (error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
      file = await open(path, 'w+');
    }
    const { size } = await file.stat();
    return new FileDevice(file, Math.floor(size / sectorSize) * sectorSize, sectorSize);
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const whole = Number.isSafeInteger(offset) && Number.isSafeInteger(length);
    if (!whole || offset < 0 || length < 0 || offset + length > this.size)
      throw new ReadBeyondEnd(offset, length, this.size);
    // A plain array: slices of a Buffer share its bytes, and readers expect copies.
    const bytes = new Uint8Array(Buffer.allocUnsafeSlow(length).buffer);
    try {
      for (let done = 0; done < length;) {
        const { bytesRead } = await this.file.read(bytes, done, length - done, offset + done);
        if (bytesRead === 0) throw new ReadBeyondEnd(offset, length, offset + done);
        done += bytesRead;
      }
    } catch (error) {
      throw failureOf(error, offset / this.sectorSize);
    }
    return bytes;
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    checkRange(this, offset, bytes.length);
    try {
      for (let done = 0; done < bytes.length;) {
        const { bytesWritten } = await this.file.write(bytes, done, bytes.length - done, offset + done);
        done += bytesWritten;
      }
    } catch (error) {
      throw failureOf(error, offset / this.sectorSize);
    }
  }

  async zero(offset: number, length: number): Promise<void> {
    checkRange(this, offset, length);
    const zeros = Buffer.alloc(Math.min(CHUNK, length));
    for (let at = 0; at < length; at += CHUNK) {
      const take = Math.min(CHUNK, length - at);
      if (!isZero(await this.read(offset + at, take))) await this.write(offset + at, zeros.subarray(0, take));
    }
  }

  async flush(): Promise<void> {
    try {
      await this.file.datasync();
    } catch (error) {
      throw failureOf(error, 0);
    }
  }

  /** Where a file has holes can't be asked from here: all of it may hold something. */
  async stretches(offset: number, length: number): Promise<Stretch[]> {
    checkRange(this, offset, length);
    return length > 0 ? [{ offset, length }] : [];
  }

  async resize(size: number): Promise<void> {
    try {
      await this.file.truncate(size);
    } catch (error) {
      throw failureOf(error, size / this.sectorSize);
    }
    this.size = size;
  }

  close(): Promise<void> {
    return this.file.close();
  }
}

function failureOf(error: unknown, sector: number): unknown {
  switch ((error as NodeJS.ErrnoException).code) {
    case 'ENOSPC':
    case 'EDQUOT':
    case 'EFBIG':
      return new DeviceFailure('device-full', 'There is no room left where the disk’s file lies.');
    case 'EIO':
      return new DeviceFailure(
        'read-error',
        `Sector ${Math.floor(sector)} of the disk can’t be read or written.`,
      );
    default:
      return error;
  }
}
