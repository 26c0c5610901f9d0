import { HOLDINGS_FORMAT, type Holdings } from '$core/holdings';
import { sketchedHoldings, type VolumeSketch } from '$core/holdings/sketch';
import type { SurveyDocument } from '$core/survey';

/** Holdings of a made-up volume; its letter says which one it is. */
export type DemoFilling = Pick<VolumeSketch, 'folders' | 'files' | 'months' | 'restorePoints'>;

const windows = (gib: number) => [
  { path: 'Windows\\WinSxS', gib: gib * 0.34 },
  { path: 'Windows\\System32', gib: gib * 0.28 },
  { path: 'Windows\\Installer', gib: gib * 0.12 },
  { path: 'Windows\\assembly', gib: gib * 0.08 },
  { path: 'Windows', gib: gib * 0.18 },
];

/**
 * The two years before the surveys of the demo jobs, GiB a month from a made-up list that is gone through again and
 * again.
 */
const months = (...each: number[]): [string, number][] =>
  Array.from({ length: 24 }, (_, i) => {
    const month = 12 * 2024 + 10 + i;
    const name = `${Math.floor(month / 12)}-${String((month % 12) + 1).padStart(2, '0')}`;
    return [name, each[i % each.length]!];
  });

/** By job and letter. */
export const FILLINGS: Readonly<Record<number, Readonly<Record<string, DemoFilling>>>> = {
  2614: {
    C: {
      folders: [
        ...windows(26),
        { path: 'Windows\\SoftwareDistribution\\Download', gib: 3.1 },
        { path: 'Windows\\Temp', gib: 0.7 },
        { path: 'Program Files\\Tide X-ray\\Viewer', gib: 9.4 },
        { path: 'Program Files\\Tide X-ray\\Calibration', gib: 2.2, changed: '2024-03-11' },
        { path: 'Program Files\\Common Files', gib: 1.3 },
        { path: 'Program Files (x86)\\Label printer', gib: 0.9, changed: '2022-09-30' },
        { path: 'ProgramData\\Tide X-ray\\Scratch', gib: 11.8 },
        { path: 'ProgramData\\Package Cache', gib: 1.4 },
        { path: 'Users\\reception\\Pictures\\Open day 2025', gib: 8.6, changed: '2025-06-15' },
        { path: 'Users\\reception\\Pictures\\Staff', gib: 2.1, changed: '2023-12-20' },
        { path: 'Users\\reception\\Documents', gib: 4.7 },
        { path: 'Users\\reception\\AppData\\Local\\Temp', gib: 2.6 },
        { path: 'Users\\reception\\AppData\\Local\\Lagoon\\User Data\\Default\\Cache', gib: 1.9 },
        { path: 'Users\\reception\\AppData\\Roaming', gib: 1.1 },
        { path: 'Users\\dr tern\\Documents\\Reports', gib: 3.4 },
        { path: 'Users\\dr tern\\AppData\\Local\\Temp', gib: 0.6 },
        { path: '$Recycle.Bin', gib: 2.4 },
      ],
      files: [
        { path: 'hiberfil.sys', gib: 6.4 },
        { path: 'pagefile.sys', gib: 4.8 },
        { path: 'Windows\\MEMORY.DMP', gib: 1.2, changed: '2026-02-03' },
        { path: 'Users\\reception\\Downloads\\viewer-8.2-setup.zip', gib: 3.9, changed: '2024-11-02' },
        { path: 'Users\\reception\\Downloads\\driver-pack.exe', gib: 1.4, changed: '2023-05-18' },
        { path: 'Users\\reception\\Downloads\\rota-2026.xlsx', gib: 0.001, changed: '2026-11-12' },
      ],
      restorePoints: 5.5 * 2 ** 30,
      months: months(1.6, 2.4, 1.9, 2.1),
    },
    D: {
      folders: [
        { path: 'Archive\\2021', gib: 22.4, changed: '2021-12-31' },
        { path: 'Archive\\2022', gib: 25.1, changed: '2022-12-30' },
        { path: 'Archive\\2023', gib: 27.9, changed: '2023-12-29' },
        { path: 'Archive\\2024', gib: 29.2, changed: '2024-12-31' },
        { path: 'Archive\\2025', gib: 30.8, changed: '2025-12-31' },
        { path: '$Recycle.Bin', gib: 4.1 },
      ],
      months: months(0.9, 1.2, 1),
    },
  },
  2611: {
    C: {
      folders: [
        ...windows(27),
        { path: 'Program Files\\Driftwood\\Mixing desk', gib: 12.4 },
        { path: 'Program Files\\Driftwood\\Plug-ins', gib: 21.6 },
        { path: 'ProgramData\\Driftwood\\Peaks', gib: 8.8 },
        { path: 'Users\\studio\\Music\\Takes 2025', gib: 31.2, changed: '2025-12-19' },
        { path: 'Users\\studio\\Music\\Takes 2026', gib: 26.7 },
        { path: 'Users\\studio\\Videos\\Live on the pier', gib: 28.3, changed: '2026-08-30' },
        { path: 'Users\\studio\\Documents\\Play lists', gib: 1.9 },
        { path: 'Users\\news desk\\Music\\Interviews', gib: 12.5 },
        { path: 'Users\\news desk\\Documents', gib: 2.2 },
      ],
      files: [{ path: 'pagefile.sys', gib: 5.2 }],
      months: months(1.1, 1.5, 1.2),
    },
  },
  2609: {
    C: {
      folders: [
        ...windows(24),
        { path: 'Windows.old\\Windows', gib: 17.8, changed: '2026-10-09' },
        { path: 'Windows.old\\Users', gib: 3.6, changed: '2026-10-09' },
        { path: '$WINDOWS.~BT', gib: 4.4, changed: '2026-10-09' },
        { path: 'Windows\\SoftwareDistribution\\Download', gib: 2.2 },
        { path: 'Program Files\\Crumb Till', gib: 5.3 },
        { path: 'ProgramData\\Crumb Till\\Receipts', gib: 14.6 },
        { path: 'Users\\till\\Documents\\Recipes', gib: 1.8 },
        { path: 'Users\\till\\Pictures\\Window displays', gib: 6.2 },
        { path: 'Users\\till\\AppData\\Local\\Temp', gib: 1.5 },
        { path: '$Recycle.Bin', gib: 0.8 },
      ],
      files: [
        { path: 'hiberfil.sys', gib: 3.2 },
        { path: 'pagefile.sys', gib: 14.5 },
      ],
      months: months(0.8, 1.1, 0.9),
    },
  },
};

/** Holdings of the volumes of a demo job's survey; null: nobody looked. */
export function demoHoldings(number: number, survey: SurveyDocument): Holdings | null {
  const byLetter = FILLINGS[number];
  if (!byLetter) return null;
  const volumes = survey.disks.flatMap((disk) =>
    disk.partitions.flatMap(({ number: partition, letter, volume }) => {
      const filling = letter ? byLetter[letter] : undefined;
      if (!filling || !letter || volume?.used == null) return [];
      const { size, used } = volume;
      return [sketchedHoldings({ disk: disk.number, partition, letter, size, used, ...filling })];
    }),
  );
  const { takenAt, machine } = survey;
  return { format: HOLDINGS_FORMAT, version: 1, takenAt, machine: machine.name, volumes };
}

/** Used bytes of volumes at earlier surveys, GiB by letter, oldest first. */
export const EARLIER: Readonly<
  Record<number, readonly (readonly [takenAt: string, used: Record<string, number>])[]>
> = {
  2614: [
    ['2025-11-14T08:20:00Z', { C: 88.1, D: 128.3 }],
    ['2026-01-30T09:05:00Z', { C: 93.6, D: 130.9 }],
    ['2026-04-17T13:40:00Z', { C: 97.9, D: 133.1 }],
    ['2026-07-03T10:15:00Z', { C: 104.8, D: 136.4 }],
    ['2026-09-18T11:30:00Z', { C: 107.9, D: 138.6 }],
  ],
  2611: [
    ['2025-10-21T09:00:00Z', { C: 171.2, D: 498, E: 117.1 }],
    ['2026-02-12T15:30:00Z', { C: 176.4, D: 539, E: 117.4 }],
    ['2026-06-25T09:45:00Z', { C: 181.9, D: 574, E: 118 }],
  ],
  2610: [
    ['2025-12-09T09:30:00Z', { C: 44.6, D: 28.7 }],
    ['2026-05-12T14:20:00Z', { C: 49.9, D: 29.4 }],
    ['2026-08-21T10:10:00Z', { C: 54.2, D: 30.2 }],
  ],
};
