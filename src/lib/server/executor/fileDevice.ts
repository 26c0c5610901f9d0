import { constants } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import { checkRange, DeviceFailure, isZero, type Device, type Stretch } from '$core/executor';
import { ReadBeyondEnd } from '$core/images/source';

const CHUNK = 4 * 2 ** 20;

/** A raw disk in a file. Zeros are not written where there are zeros already, so that a sparse file stays sparse. */
export class FileDevice implements Device {
  private constructor(
    private readonly file: FileHandle,
    public size: number,
    readonly sectorSize: number,
    private readonly name: string,
  ) {}

  /**
   * @param create make it, with no bytes, where it is not there @param name what it is, for sentences: "the journal"
   */
  static async open(
    path: string,
    {
      sectorSize = 512,
      write = true,
      create = false,
      name = 'the file of the disk',
    }: { sectorSize?: number; write?: boolean; create?: boolean; name?: string } = {},
  ): Promise<FileDevice> {
    let file: FileHandle;
    try {
      // Without waiting: a pipe in its place would take a thread for good.
      file = await open(path, (write ? constants.O_RDWR : constants.O_RDONLY) | constants.O_NONBLOCK);
    } catch (error) {
      if (!create || (error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
      file = await open(path, 'w+');
    }
    const stat = await file.stat();
    if (!stat.isFile()) {
      await file.close();
      throw new DeviceFailure('read-error', `${path} is no plain file. Nothing was done with it.`);
    }
    const { size } = stat;
    return new FileDevice(file, Math.floor(size / sectorSize) * sectorSize, sectorSize, name);
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
      throw this.failureOf(error, 'read', offset);
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
      throw this.failureOf(error, 'written', offset);
    }
  }

  async zero(offset: number, length: number): Promise<void> {
    checkRange(this, offset, length);
    const zeros = Buffer.alloc(Math.min(CHUNK, length));
    for (let at = 0; at < length; at += CHUNK) {
      const take = Math.min(CHUNK, length - at);
      if (!(await this.holdsZeros(offset + at, take))) await this.write(offset + at, zeros.subarray(0, take));
    }
  }

  /** An unreadable sector is written: a drive then puts a sound one in its place. */
  private async holdsZeros(offset: number, length: number): Promise<boolean> {
    try {
      return isZero(await this.read(offset, length));
    } catch (error) {
      if (error instanceof DeviceFailure) return false;
      throw error;
    }
  }

  async flush(): Promise<void> {
    try {
      await this.file.datasync();
    } catch (error) {
      throw this.failureOf(error, 'written', null);
    }
  }

  /** Holes of a file are unknown here: all of it may hold data. */
  async stretches(offset: number, length: number): Promise<Stretch[]> {
    checkRange(this, offset, length);
    return length > 0 ? [{ offset, length }] : [];
  }

  async resize(size: number): Promise<void> {
    try {
      await this.file.truncate(size);
    } catch (error) {
      throw this.failureOf(error, 'written', null);
    }
    this.size = size;
  }

  close(): Promise<void> {
    return this.file.close();
  }

  private failureOf(error: unknown, what: 'read' | 'written', offset: number | null): unknown {
    const { name } = this;
    switch ((error as NodeJS.ErrnoException).code) {
      case 'ENOSPC':
      case 'EDQUOT':
      case 'EFBIG':
        return new DeviceFailure('device-full', `There is no room left where ${name} lies.`);
      case 'EIO': {
        const place = offset === null ? '' : `Sector ${Math.floor(offset / this.sectorSize)} of `;
        const subject = `${place}${name}`;
        return new DeviceFailure(
          'read-error',
          `${subject[0]!.toUpperCase()}${subject.slice(1)} can’t be ${what}.`,
        );
      }
      default:
        return error;
    }
  }
}
