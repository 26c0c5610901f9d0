import type { Device } from '../devices/device';
import type { Operation, DiskPlace } from '../plan';

/** A volume that gets another size. Bytes. */
export interface Resizing {
  on: DiskPlace;
  device: Device;
  /** Byte of the device where it begins. */
  at: number;
  /** Size of its partition as it is. */
  size: number;
  /** Size of its partition as it will be. */
  to: number;
  /** Name of the volume in a sentence. */
  name: string;
  /** Number of its partition, where the run is to remember that it marked the volume to be checked. */
  marks: number | null;
  /** Called while a plan takes long; it may wait, and stops the plan by an exception. */
  told: () => Promise<void>;
  /** The table: before the file system grows, after it has become smaller (domain facts 4). */
  table: () => Promise<Operation[]>;
}
