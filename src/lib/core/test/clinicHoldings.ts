import { HOLDINGS_FORMAT, type Holdings } from '../holdings';
import { sketchedHoldings, type VolumeSketch } from '../holdings/sketch';
import { clinic } from './clinic';

const { number, volume } = clinic().disks[0]!.partitions.find(({ letter }) => letter === 'C')!;

/** Holdings of the clinic’s C:, an earlier Windows and pictures among them. */
export const clinicHoldings = (more: Partial<VolumeSketch> = {}): Holdings => ({
  format: HOLDINGS_FORMAT,
  version: 1,
  takenAt: clinic().takenAt,
  machine: 'TERN-XRAY',
  volumes: [
    sketchedHoldings({
      partition: number,
      letter: 'C',
      size: volume!.size,
      used: volume!.used!,
      folders: [
        { path: 'Windows.old', gib: 20 },
        { path: 'Users\\ida\\Pictures', gib: 9 },
      ],
      ...more,
    }),
  ],
});
