import type { Device } from '../devices/device';
import { Wrapped } from '../devices/wrappers';

/** One change to one of the devices of an executor, in the order in which they were made. */
export type Event =
  | { kind: 'write'; device: number; offset: number; bytes: Uint8Array }
  | { kind: 'zero'; device: number; offset: number; length: number }
  | { kind: 'resize'; device: number; size: number }
  | { kind: 'flush'; device: number };

/** The power went. Nothing that comes after is carried out. */
export class PowerCut extends Error {
  constructor() {
    super('the power was cut');
    this.name = 'PowerCut';
  }
}

/**
 * The plug that some devices hang on: it counts their changes and cuts the power before one of them. What it keeps is
 * enough to tell every state that the devices can be found in after a cut at any instant (see `afterCut`).
 */
export class Plug {
  readonly events: Event[] = [];

  /** @param cutBefore the change before which the power goes, from 0; absent: never */
  constructor(
    private readonly cutBefore = Infinity,
    private readonly keep = true,
  ) {}

  private count = 0;

  /** Changes so far. */
  get changes(): number {
    return this.count;
  }

  note(event: Event): void {
    if (this.count >= this.cutBefore) throw new PowerCut();
    this.count++;
    if (this.keep) this.events.push(event);
  }
}

/** A device that hangs on a plug. */
export class PluggedDevice extends Wrapped {
  constructor(
    inner: Device,
    private readonly plug: Plug,
    private readonly number: number,
  ) {
    super(inner);
  }

  override async write(offset: number, bytes: Uint8Array): Promise<void> {
    this.plug.note({ kind: 'write', device: this.number, offset, bytes: bytes.slice() });
    await this.inner.write(offset, bytes);
  }
  override async zero(offset: number, length: number): Promise<void> {
    this.plug.note({ kind: 'zero', device: this.number, offset, length });
    await this.inner.zero(offset, length);
  }
  override async flush(): Promise<void> {
    this.plug.note({ kind: 'flush', device: this.number });
    await this.inner.flush();
  }
  override async resize(size: number): Promise<void> {
    this.plug.note({ kind: 'resize', device: this.number, size });
    await this.inner.resize(size);
  }
}
