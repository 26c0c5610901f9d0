import type { Device, Stretch } from './device';

/** A device that hands everything on to another; what a wrapper changes it overrides. */
export class Wrapped implements Device {
  constructor(protected readonly inner: Device) {}

  get size(): number {
    return this.inner.size;
  }
  get sectorSize(): number {
    return this.inner.sectorSize;
  }
  read(offset: number, length: number): Promise<Uint8Array> {
    return this.inner.read(offset, length);
  }
  write(offset: number, bytes: Uint8Array): Promise<void> {
    return this.inner.write(offset, bytes);
  }
  zero(offset: number, length: number): Promise<void> {
    return this.inner.zero(offset, length);
  }
  flush(): Promise<void> {
    return this.inner.flush();
  }
  stretches(offset: number, length: number): Promise<Stretch[]> {
    return this.inner.stretches(offset, length);
  }
  resize(size: number): Promise<void> {
    return this.inner.resize(size);
  }
}

/** Counts what is read and written, in bytes; a stretch of zeros counts as written. */
export class CountingDevice extends Wrapped {
  bytesRead = 0;
  bytesWritten = 0;
  flushes = 0;

  override async read(offset: number, length: number): Promise<Uint8Array> {
    const bytes = await this.inner.read(offset, length);
    this.bytesRead += length;
    return bytes;
  }
  override async write(offset: number, bytes: Uint8Array): Promise<void> {
    await this.inner.write(offset, bytes);
    this.bytesWritten += bytes.length;
  }
  override async zero(offset: number, length: number): Promise<void> {
    await this.inner.zero(offset, length);
    this.bytesWritten += length;
  }
  override async flush(): Promise<void> {
    await this.inner.flush();
    this.flushes++;
  }
}

/** Device as fast as a medium: what is written takes as long as it would there. */
export class ThrottledDevice extends Wrapped {
  /** Milliseconds that were owed but not yet waited for. */
  private owed = 0;

  /**
   * @param bytesPerSecond asked before each wait, so that the pace may change on the way; null: no limit
   * @param wait returns after some milliseconds, or throws where all is stopped
   */
  constructor(
    inner: Device,
    private readonly bytesPerSecond: () => number | null,
    private readonly wait: (milliseconds: number) => Promise<void>,
  ) {
    super(inner);
  }

  override async write(offset: number, bytes: Uint8Array): Promise<void> {
    await this.inner.write(offset, bytes);
    await this.pay(bytes.length);
  }
  override async zero(offset: number, length: number): Promise<void> {
    await this.inner.zero(offset, length);
    await this.pay(length);
  }

  private async pay(bytes: number): Promise<void> {
    const rate = this.bytesPerSecond();
    this.owed = rate === null ? 0 : this.owed + (1000 * bytes) / rate;
    if (this.owed < 20) return;
    const due = this.owed;
    this.owed = 0;
    await this.wait(due);
  }
}
