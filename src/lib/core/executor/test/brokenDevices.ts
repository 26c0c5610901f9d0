import { DeviceFailure, type Device, type Stretch } from '../devices/device';
import { Wrapped } from '../devices/wrappers';

/** Sectors that can't be read, as on a disk that fails. */
export class UnreadableDevice extends Wrapped {
  constructor(
    inner: Device,
    private readonly bad: readonly Stretch[],
  ) {
    super(inner);
  }

  override async read(offset: number, length: number): Promise<Uint8Array> {
    const hit = this.bad.find((one) => one.offset < offset + length && offset < one.offset + one.length);
    if (hit) {
      const sector = Math.max(hit.offset, offset) / this.sectorSize;
      throw new DeviceFailure('read-error', `Sector ${Math.floor(sector)} of the disk can’t be read.`);
    }
    return this.inner.read(offset, length);
  }
}

/** A device that takes no more than some bytes, as a file on a full disk does. */
export class FullDevice extends Wrapped {
  constructor(
    inner: Device,
    private left: number,
  ) {
    super(inner);
  }

  override async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (bytes.length > this.left)
      throw new DeviceFailure('device-full', 'There is no room left where the disk’s file lies.');
    this.left -= bytes.length;
    await this.inner.write(offset, bytes);
  }
}
