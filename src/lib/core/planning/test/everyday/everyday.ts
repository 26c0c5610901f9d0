import type { PartitionSpec } from '../../../survey/sketch';
import { extendedAtEnd, gib, situation, type CatalogueEntry } from '../catalogue/situations';

/** Machines of every day in a workshop, with the way that a careful technician takes first: its kit, and its steps. */
export interface Everyday extends CatalogueEntry {
  first: string;
}

const efi: PartitionSpec = { role: 'efi', size: 260, used: 33, fileSystem: 'fat32' };
const reserved: PartitionSpec = { role: 'reserved', size: 16 };
const C: PartitionSpec = { role: 'windows', size: gib(120), used: gib(112), letter: 'C' };
const recovery: PartitionSpec = { role: 'recovery', size: 900, used: 610 };
const data = (size: number, used: number, more: Partial<PartitionSpec> = {}): PartitionSpec => ({
  role: 'data',
  size: gib(size),
  used: gib(used),
  ...more,
});

type More = Parameters<typeof situation>[5];
type Ask = Parameters<typeof situation>[4];

const everyday = (
  id: string,
  words: string,
  partitions: readonly PartitionSpec[],
  room: number,
  ask: Ask,
  first: string,
  more: More = {},
): Everyday => ({ ...situation(id, words, partitions, room, ask, more), first });

const hdd: More = { disk: { media: 'hdd' } };
const ssd: More = { disk: { media: 'sata-ssd' } };
const mbr: More = { disk: { table: 'mbr' }, machine: { firmware: 'bios' } };
const windows: Pick<Ask, 'kits'> = { kits: ['windows-only'] };
const offline: Pick<Ask, 'kits'> = { kits: ['offline-mover'] };

export const EVERYDAY: readonly Everyday[] = [
  everyday(
    'room-next-door',
    'Room lies right behind C:.',
    [efi, reserved, C],
    gib(60),
    { grow: gib(50) },
    'windows-only: extend 3',
  ),
  everyday(
    'recovery-in-the-way',
    'Recovery stands between C: and the room.',
    [efi, reserved, C, recovery],
    gib(60),
    { grow: gib(50) },
    'live-mover: move 4, extend 3',
  ),
  everyday(
    'recovery-offline-only',
    'The same with a mover that needs the machine switched off.',
    [efi, reserved, C, recovery],
    gib(60),
    { grow: gib(50), ...offline },
    'offline-mover: move 4, extend 3',
  ),
  everyday(
    'recovery-windows-alone',
    'The same with nothing but Windows.',
    [efi, reserved, C, recovery],
    gib(60),
    { grow: gib(50), ...windows },
    'windows-only: set-aside 4, extend 3, put-back 4',
  ),
  everyday(
    'all-there-is',
    'All of the room behind recovery is wanted, less than recovery itself is large.',
    [efi, reserved, C, recovery],
    500,
    { grow: 500 },
    'live-mover: move 4, extend 3',
  ),
  everyday(
    'near-donor',
    'A data volume with 200 GiB to spare stands right behind C:.',
    [efi, reserved, C, data(400, 150)],
    0,
    { grow: gib(50) },
    'live-mover: shrink 4, move 4, extend 3',
  ),
  everyday(
    'near-donor-hdd',
    'The same on a hard disk.',
    [efi, reserved, C, data(400, 150)],
    0,
    { grow: gib(50) },
    'live-mover: shrink 4, move 4, extend 3',
    hdd,
  ),
  everyday(
    'near-donor-ssd',
    'The same on a SATA SSD, with an offline mover.',
    [efi, reserved, C, data(400, 150)],
    0,
    { grow: gib(50), ...offline },
    'offline-mover: shrink 4, move 4, extend 3',
    ssd,
  ),
  everyday(
    'near-donor-windows-alone',
    'Windows alone can only copy the files to a new volume.',
    [efi, reserved, C, data(400, 150)],
    0,
    { grow: gib(50), ...windows },
    'windows-only: shrink 4, create 5, copy 4, delete 4, extend 3',
  ),
  everyday(
    'donor-behind-recovery',
    'Recovery stands between C: and the donor.',
    [efi, reserved, C, recovery, data(300, 90)],
    0,
    { grow: gib(60) },
    'live-mover: shrink 5, move 5, move 4, extend 3',
  ),
  everyday(
    'donor-behind-recovery-hdd',
    'The same on a hard disk.',
    [efi, reserved, C, recovery, data(300, 90)],
    0,
    { grow: gib(60) },
    'live-mover: shrink 5, move 5, move 4, extend 3',
    hdd,
  ),
  everyday(
    'room-behind-donor',
    'A data volume stands between C: and the room; it need not give.',
    [efi, reserved, C, data(100, 60)],
    gib(200),
    { grow: gib(50) },
    'live-mover: move 4, extend 3',
  ),
  everyday(
    'room-behind-donor-hdd',
    'The same on a hard disk, where Windows could go to the far end instead.',
    [efi, reserved, C, data(100, 60)],
    gib(200),
    { grow: gib(50) },
    'live-mover: move 4, extend 3',
    hdd,
  ),
  everyday(
    'room-behind-big-data',
    'The data volume is as good as full and larger than Windows.',
    [efi, reserved, C, data(600, 550)],
    gib(150),
    { grow: gib(50) },
    'live-mover: move 4, extend 3',
    hdd,
  ),
  everyday(
    'two-obstacles',
    'Recovery and a data volume stand between C: and the room.',
    [efi, reserved, C, recovery, data(100, 40)],
    gib(150),
    { grow: gib(50) },
    'live-mover: move 5, move 4, extend 3',
  ),
  everyday(
    'data-then-recovery',
    'A data volume and then recovery stand between C: and the room.',
    [efi, reserved, C, data(100, 40), recovery],
    gib(150),
    { grow: gib(50) },
    'live-mover: move 5, move 4, extend 3',
  ),
  everyday(
    'two-obstacles-small-growth',
    'C: wants no more than the first obstacle is large, so throwing that one over the second would do.',
    [efi, reserved, C, data(60, 20), data(100, 40)],
    gib(150),
    { grow: gib(40) },
    'live-mover: move 5, move 4, extend 3',
  ),
  everyday(
    'three-obstacles',
    'Recovery and two data volumes stand between C: and the room.',
    [efi, reserved, C, recovery, data(60, 30), data(80, 20)],
    gib(120),
    { grow: gib(40) },
    'live-mover: move 6, move 5, move 4, extend 3',
  ),
  everyday(
    'near-and-far-donor',
    'Both could give; the near one has enough, and what stands behind it may stay.',
    [efi, reserved, C, data(200, 60), data(300, 60)],
    0,
    { grow: gib(50) },
    'live-mover: shrink 4, move 4, extend 3',
  ),
  everyday(
    'far-donor',
    'Only the far one has something to spare; what stands between is pushed along.',
    [efi, reserved, C, data(60, 58), data(300, 60)],
    0,
    { grow: gib(50), donors: [5] },
    'live-mover: shrink 5, move 5, move 4, extend 3',
  ),
  everyday(
    'enlarged-disk',
    'A virtual disk was enlarged: recovery stands before the new room.',
    [efi, reserved, C, recovery],
    gib(80),
    { grow: gib(70) },
    'live-mover: relocate-table, move 4, extend 3',
    {
      disk: {
        media: 'virtual',
        backupHeader: (260 + 16 + gib(120) + 900 + 2) * 2048 - 1,
      },
    },
  ),
  everyday(
    'enlarged-disk-adjacent',
    'A virtual disk was enlarged, and C: is its last partition.',
    [efi, reserved, C],
    gib(80),
    { grow: gib(70) },
    'windows-only: relocate-table, extend 3',
    { disk: { media: 'virtual', backupHeader: (260 + 16 + gib(120) + 2) * 2048 - 1 } },
  ),
  everyday(
    'recovery-in-the-middle',
    'Recovery stands before C:, a data volume behind it.',
    [recovery, efi, reserved, C, data(400, 100)],
    0,
    { grow: gib(50) },
    'live-mover: shrink 5, move 5, extend 4',
  ),
  everyday(
    'encrypted-with-movers',
    'C: is encrypted; the mover shifts recovery, and Windows extends C:.',
    [efi, reserved, { ...C, encrypted: true }, recovery],
    gib(60),
    { grow: gib(50) },
    'live-mover: move 4, extend 3',
  ),
  everyday(
    'encrypted-windows-alone',
    'C: is encrypted and there is no mover.',
    [efi, reserved, { ...C, encrypted: true }, recovery],
    gib(60),
    { grow: gib(50), ...windows },
    'windows-only: set-aside 4, extend 3, put-back 4',
  ),
  everyday(
    'logical-donor',
    'On an old disk the donor is a logical drive in the extended partition behind C:.',
    [{ role: 'system', size: 500, used: 40, active: true }, C],
    gib(200) + 10,
    { grow: gib(40), of: 2 },
    'live-mover: shrink 5, move 5, shrink 3, extend 2',
    { ...mbr, change: (survey) => extendedAtEnd(survey, gib(200), [{ size: gib(200) - 2, used: gib(60) }]) },
  ),
  everyday(
    'logical-drives',
    'Two logical drives: the first gives, moves clear of its place and grows back; the second need not be touched.',
    [{ role: 'system', size: 500, used: 40, active: true }, C],
    gib(300) + 10,
    { grow: gib(40), of: 2 },
    'live-mover: shrink 5, move 5, shrink 3, extend 2, extend 5',
    {
      ...mbr,
      change: (survey) =>
        extendedAtEnd(survey, gib(300), [
          { size: gib(150), used: gib(40) },
          { size: gib(140), used: gib(40) },
        ]),
    },
  ),
  everyday(
    'leftover-may-go',
    'A volume behind C: that nobody needs may go.',
    [efi, reserved, C, data(80, 10)],
    0,
    { grow: gib(60), mayDelete: [4], donors: [] },
    'windows-only: delete 4, extend 3',
  ),
  everyday(
    'leftover-behind-recovery',
    'What may go stands behind recovery.',
    [efi, reserved, C, recovery, data(80, 10)],
    0,
    { grow: gib(60), mayDelete: [5], donors: [] },
    'live-mover: delete 5, move 4, extend 3',
  ),
  everyday(
    'room-before-windows',
    'The only room lies before C:, so Windows itself must go there.',
    [efi, reserved, { ...C, gap: gib(60) }],
    0,
    { grow: gib(50) },
    'live-mover: move 3, extend 3',
  ),
  everyday(
    'data-target',
    'A data volume is to grow, with recovery in its way.',
    [efi, reserved, C, data(200, 190), recovery],
    gib(100),
    { grow: gib(80), of: 4 },
    'live-mover: move 5, extend 4',
  ),
  everyday(
    'donor-before-windows',
    'The donor stands before C:: its room comes at the far side of C:, which would have to move; a second one behind gives instead.',
    [efi, reserved, data(300, 60), C, data(200, 80)],
    0,
    { grow: gib(40) },
    'live-mover: shrink 5, move 5, extend 4',
  ),
  everyday(
    'vendor-at-the-end',
    'A maker’s partition at the end stays where it is; the donor before it gives.',
    [efi, reserved, C, recovery, data(300, 100), { role: 'vendor', size: gib(20), used: gib(14) }],
    0,
    { grow: gib(50) },
    'live-mover: shrink 5, move 5, move 4, extend 3',
  ),
];
