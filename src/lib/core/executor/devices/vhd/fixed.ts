import { ReadBeyondEnd } from '../../../images/source';
import { checkRange, type Device, type Stretch } from '../device';
import { SECTOR, serialOf, resizeFooter } from './format';

/** All of the disk lies in the file as it is, with the footer behind. */
export class FixedVhd implements Device {
  readonly sectorSize = SECTOR;

  constructor(
    private readonly file: Device,
    public size: number,
    private footer: Uint8Array,
  ) {}

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (offset < 0 || offset + length > this.size) throw new ReadBeyondEnd(offset, length, this.size);
    return this.file.read(offset, length);
  }
  async write(offset: number, bytes: Uint8Array): Promise<void> {
    checkRange(this, offset, bytes.length);
    await this.file.write(offset, bytes);
  }
  async zero(offset: number, length: number): Promise<void> {
    checkRange(this, offset, length);
    await this.file.zero(offset, length);
  }
  flush(): Promise<void> {
    return this.file.flush();
  }
  async stretches(offset: number, length: number): Promise<Stretch[]> {
    checkRange(this, offset, length);
    return this.file.stretches(offset, length);
  }
  async resize(size: number): Promise<void> {
    const old = this.size;
    this.footer = resizeFooter(this.footer, size);
    if (size > old) await this.file.resize(size + SECTOR);
    await this.file.write(size, this.footer);
    await this.file.flush();
    if (size > old) await this.file.zero(old, SECTOR);
    else await this.file.resize(size + SECTOR);
    await this.file.flush();
    this.size = size;
  }
  get serial(): string {
    return serialOf(this.footer);
  }

  async close(): Promise<void> {
    await this.file.flush();
  }
}
