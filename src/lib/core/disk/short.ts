import { GIB } from '../units';
import type { Partition } from './types';

/** Short of room: less than 10 % or 20 GiB free, the smaller of the two. Bytes. */
export const isShort = (size: number, used: number): boolean => size - used < Math.min(size / 10, 20 * GIB);

/** Whether a volume of files is short of room; system partitions are as full as they were made. */
export const isShortVolume = ({ role, volume }: Partition): boolean =>
  (role === 'windows' || role === 'data') &&
  volume !== null &&
  volume.used !== null &&
  isShort(volume.size, volume.used);
