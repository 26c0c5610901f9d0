import { diskBytes, type Disk, type EncryptionState, type Media } from '$core/disk';
import type { Preference } from '$core/planning';
import { formatSize } from '$core/units';

/** Words of the interface that more than one screen uses. */
export const MEDIA_NAME: Record<Media, string> = {
  hdd: 'Hard disk',
  'sata-ssd': 'SATA SSD',
  nvme: 'NVMe',
  virtual: 'Virtual disk',
};

export const ENCRYPTION_NAME: Record<EncryptionState, string> = {
  off: 'not encrypted',
  on: 'encrypted',
  suspended: 'encrypted, suspended',
  encrypting: 'being encrypted',
  decrypting: 'being decrypted',
};

/** What routes can be ordered by. */
export const PREFERENCES: readonly [Preference, string][] = [
  ['usual', 'usual way'],
  ['safe', 'least exposure'],
  ['quick', 'least copying'],
  ['few-steps', 'fewest steps'],
];

/** "Disk 0 · NVMe 476.9 GiB · GPT · serial GT-7Q2F-0081": how a disk is named wherever it could be mistaken. */
export const describeDisk = (disk: Disk): string =>
  [
    `Disk ${disk.number}`,
    `${MEDIA_NAME[disk.media]} ${formatSize(diskBytes(disk))}`,
    disk.table.toUpperCase(),
    disk.serial ? `serial ${disk.serial}` : 'no serial known',
  ].join(' · ');

/** What stays free in a donor where nobody says otherwise, in percent of its size afterwards. */
export const KEEP_FREE_PERCENT = 10;
