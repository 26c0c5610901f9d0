import { readdirSync, readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { TYPE } from '../disk';
import type { SurveyDocument } from '../survey';
import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '../survey/sketch';
import { diagnose } from '.';

/** Every finding there is, each on the smallest survey that shows it. */

const gib = (value: number): number => value * 1024; // the builder counts in MiB
const C: PartitionSpec = { role: 'windows', size: 4000, used: 3800, letter: 'C', label: 'Windows' };
const recovery: PartitionSpec = { role: 'recovery', size: 600, used: 400 };
const data: PartitionSpec = { role: 'data', size: 20_000, used: 2000, letter: 'D', label: 'Archive' };
const full: PartitionSpec = { role: 'data', size: 2000, used: 2000, letter: 'E', label: 'Ledgers' };
const efi: PartitionSpec = { role: 'efi', size: 100, used: 30, fileSystem: 'fat32' };

type Disk = SurveyDocument['disks'][number];
type Change = (disk: Disk, document: SurveyDocument) => void;

/** Partitions one after the other, `rest` MiB behind them, and what is odd about it. */
function disk(
  partitions: PartitionSpec[],
  rest = 1,
  spec: Partial<DiskSpec> = {},
  change?: Change,
): SurveyDocument {
  const length = partitions.reduce((sum, one) => sum + one.size + (one.gap ?? 0), 0) + 1 + rest;
  const document = surveyWith(diskSpec({ size: length, ...spec }, partitions));
  change?.(document.disks[0]!, document);
  return document;
}

const mbr = (partitions: PartitionSpec[], rest: number, change?: Change): SurveyDocument =>
  disk(partitions, rest, { table: 'mbr' }, change);
const at = (mib: number): number => mib * 2048;
const primary = (number: number, first: number, mib: number, more: object = {}) => ({
  number,
  first: at(first),
  sectors: at(mib),
  type: '0x07',
  ...more,
});
const encryption = (state: 'on' | 'suspended' | 'encrypting' | 'decrypting', percent = 100) => ({
  encryption: { state, percent },
});
const environment = (enabled: boolean, partition: number | null): Change => {
  return (_, { machine }) => (machine.recoveryEnvironment = { enabled, disk: 0, partition });
};
/** An extended partition of 4,000 MiB at 5,000 MiB with logical drives at the given places. */
const extendedWith =
  (...drives: ReturnType<typeof primary>[]): Change =>
  ({ partitions }) =>
    partitions.push(
      primary(2, 5000, 4000, { type: '0x0F', kind: 'extended' }),
      ...drives.map((drive) => ({ ...drive, kind: 'logical' as const })),
    );
const drive = (number: number, first: number, mib: number) =>
  primary(number, first, mib, {
    role: 'data',
    volume: { fileSystem: 'ntfs', clusterSize: 4096, size: mib * 2 ** 20, used: mib * 2 ** 20 },
  });

interface Row {
  code: string;
  of: SurveyDocument;
  /** Number of the target, if it is not 1. */
  target?: number;
  partitions: number[];
  /** What the words must hold. */
  says?: RegExp;
}

const FINDINGS: Row[] = [
  // Room, and what stands between.
  { code: 'in-reach', of: disk([C], 5000), partitions: [1], says: /4\.9 GiB lies directly behind C:/ },
  {
    code: 'obstacle-recovery',
    of: disk([C, recovery], 5000),
    partitions: [2],
    says: /4\.9 GiB .*out of reach/,
  },
  { code: 'room-behind-donor', of: disk([C, data], 5000), partitions: [2], says: /wrong one here/ },
  { code: 'room-inside', of: disk([C, data]), partitions: [2], says: /16\.6 GiB to spare inside Archive/ },
  { code: 'no-room-behind', of: disk([C, recovery]), partitions: [1] },
  { code: 'room-left', of: disk([{ ...C, gap: 3000 }]), partitions: [1], says: /2\.9 GiB lies to the left/ },
  { code: 'obstacle-recovery', of: disk([C, recovery], 5000), partitions: [2], says: /must survive/ },
  { code: 'obstacle-efi', of: disk([C, efi], 5000), partitions: [2] },
  { code: 'obstacle-reserved', of: disk([C, { role: 'reserved', size: 16 }], 5000), partitions: [2] },
  { code: 'obstacle-system', of: disk([C, { ...full, role: 'system' }], 5000), partitions: [2] },
  { code: 'obstacle-vendor', of: disk([C, { ...full, role: 'vendor' }], 5000), partitions: [2] },
  { code: 'obstacle-windows', of: disk([C, { ...full, role: 'windows' }], 5000), partitions: [2] },
  { code: 'obstacle-data', of: disk([C, full], 5000), partitions: [2] },
  { code: 'obstacle-unknown', of: disk([C, { role: 'unknown', size: 900 }], 5000), partitions: [2] },
  { code: 'obstacle-extended', of: mbr([C], 30_000, extendedWith()), partitions: [2] },
  {
    code: 'obstacle-encrypted',
    of: disk([C, { ...full, size: gib(101), used: gib(100), ...encryption('suspended') }], 5000),
    partitions: [2],
    says: /Suspended is still encrypted.*goes through 100\.0 GiB and takes about 1–3 min/,
  },
  {
    code: 'room-other-disk',
    of: surveyWith(diskSpec({ size: 4002 }, [C]), diskSpec({ size: 50_000, seed: 2 }, [])),
    partitions: [],
    says: /48\.8 GiB is unallocated on disk 1.*cannot reach over/,
  },
  {
    code: 'table-not-at-end',
    of: disk([C], 9000, { backupHeader: at(4002) }),
    partitions: [],
    says: /GiB at its end count only once .* directly behind C:/,
  },
  {
    // 95 GiB used is to be four fifths: 119 GiB, 19 more than now; 1 GiB lies at the end already.
    code: 'virtual-disk-enlarge',
    of: disk([{ ...C, size: gib(100), used: gib(95) }, recovery], gib(1) + 1, { media: 'virtual' }),
    partitions: [1],
    says: /behind Recovery.*backup table/,
  },
  // The target.
  {
    code: 'large-enough',
    of: disk([{ ...C, used: 1000 }]),
    partitions: [1],
    says: /2\.9 GiB of its 3\.9 GiB/,
  },
  {
    code: 'room-own-volume',
    of: disk([{ ...C, used: 1000 }, recovery], gib(20)),
    partitions: [],
    says: /20\.0 GiB would serve better as a volume of its own/,
  },
  { code: 'windows-cannot-grow', of: disk([{ ...C, fileSystem: 'fat32' }], 900), partitions: [1] },
  { code: 'cannot-grow', of: disk([{ ...C, fileSystem: 'exfat' }], 900), partitions: [1], says: /exFAT/ },
  {
    code: 'cluster-limit',
    of: disk([{ ...C, clusterSize: 512 }], gib(3000)),
    partitions: [1],
    says: /can never pass 2,048\.0 GiB/,
  },
  {
    code: 'sector-limit',
    of: disk([{ ...C, fileSystem: 'fat32', clusterSize: 32768 }], gib(3000)),
    partitions: [1],
    says: /can never pass 2,048\.0 GiB.*32 bits, whatever its clusters/,
  },
  // Encryption of the target in each state.
  {
    code: 'encryption-on',
    of: disk([{ ...C, size: gib(100), used: gib(95), ...encryption('on') }], 900, { media: 'hdd' }),
    partitions: [1],
    says: /goes through 95\.0 GiB and takes about 27–46 min/,
  },
  {
    code: 'encryption-suspended',
    of: disk([{ ...C, ...encryption('suspended') }], 900),
    partitions: [1],
    says: /Suspended is still encrypted/,
  },
  {
    code: 'encryption-encrypting',
    of: disk([{ ...C, ...encryption('encrypting', 37) }], 900),
    partitions: [1],
    says: /37 % so far/,
  },
  {
    code: 'encryption-decrypting',
    of: disk([{ ...C, size: gib(100), used: gib(90), ...encryption('decrypting', 50) }], 900),
    partitions: [1],
    says: /50 % left.*goes through 45\.0 GiB/,
  },
  {
    code: 'encrypted-locked',
    of: disk([{ ...C, fileSystem: 'encrypted' }], 900),
    partitions: [1],
    says: /unlocked/,
  },
  // The volumes around it.
  {
    code: 'cannot-shrink',
    of: disk([C, { ...data, fileSystem: 'refs' }]),
    partitions: [2],
    says: /ReFS: 17\.6 GiB is free/,
  },
  {
    code: 'windows-cannot-shrink',
    of: disk([C, { ...data, fileSystem: 'fat32' }]),
    partitions: [2],
    says: /shrinks NTFS only\. A mover can/,
  },
  {
    code: 'running-floor-high',
    of: disk([C, { ...data, smallestRunning: 18_000 }]),
    partitions: [2],
    says: /shrinks Archive \(D:\) to 17\.6 GiB at least.*goes down to 3\.0 GiB/,
  },
  { code: 'empty-volume', of: disk([C, { ...data, used: 90 }]), partitions: [2], says: /owner’s word/ },
  {
    code: 'leftover-installation',
    of: disk([efi, C, efi], 900),
    target: 2,
    partitions: [3],
    says: /partition 3/,
  },
  { code: 'dirty-volume', of: disk([C, { ...data, dirty: true }]), partitions: [2] },
  // The disk and its table.
  { code: 'stranded', of: disk([C, { ...full, gap: 300 }]), partitions: [] },
  { code: 'misaligned', of: disk([{ ...C, gap: 0.25 }]), partitions: [1] },
  {
    code: 'beyond-mbr-reach',
    of: mbr([C], 20_000, (one) => (one.sectors = 2 ** 32 + 10 ** 6)),
    partitions: [],
  },
  {
    code: 'four-primaries',
    of: mbr([C], 20_000, ({ partitions }) =>
      partitions.push(...[2, 3, 4].map((n) => primary(n, 3000 + 1000 * n, 900))),
    ),
    partitions: [1, 2, 3, 4],
  },
  {
    code: 'mbr-start-moves',
    of: mbr([C, { ...full, role: 'system', active: true }], 5000),
    partitions: [2],
    says: /start of System \(E:\) would move/,
  },
  {
    code: 'room-inside-extended',
    of: mbr([C], 20_000, extendedWith()),
    partitions: [2],
    says: /3\.9 GiB is unallocated inside/,
  },
  {
    code: 'room-outside-extended',
    of: mbr([C], 20_000, extendedWith(drive(5, 5001, 900))),
    target: 5,
    partitions: [2],
    says: /15\.6 GiB is unallocated outside/,
  },
  {
    code: 'dynamic-disk',
    of: mbr([C, data], 1, ({ partitions }) => (partitions[1]!.type = '0x42')),
    partitions: [1],
  },
  {
    code: 'storage-pool',
    of: disk([C, data], 1, {}, ({ partitions }) => (partitions[1]!.type = TYPE.storagePool)),
    partitions: [1],
  },
  // What the first sector and a boot sector say.
  {
    code: 'hybrid-record',
    of: mbr([C], 900, ({ partitions }) => partitions.push(primary(2, 4500, 100, { type: '0xEE' }))),
    partitions: [1],
    says: /destroys data/,
  },
  {
    code: 'no-protective-record',
    of: disk([C], 900, {}, (one) => (one.protectiveRecord = 'missing')),
    partitions: [1],
    says: /not initialised/,
  },
  {
    code: 'boot-sector-damaged',
    of: disk([C], 900, {}, ({ partitions }) => (partitions[0]!.volume!.bootSector = 'backup')),
    partitions: [1],
    says: /its backup at another place/,
  },
  {
    code: 'boot-sector-damaged',
    of: disk([data, C], 900, {}, ({ partitions }) => (partitions[0]!.volume!.bootSector = 'backup')),
    target: 2,
    partitions: [1],
    says: /stays where it is/,
  },
  {
    code: 'obstacle-damaged',
    of: disk([C, data], 900, {}, ({ partitions }) => (partitions[1]!.volume!.bootSector = 'backup')),
    partitions: [2],
    says: /lies directly behind it.*Nothing moves it before that has been mended/,
  },
  {
    code: 'windows-not-named',
    of: disk([{ ...C, letter: undefined, label: '' }, full], 900, {}, ({ partitions }) =>
      partitions.forEach((one) => Object.assign(one, { role: undefined, letter: undefined })),
    ),
    partitions: [1, 2],
    says: /more than one volume may be Windows/,
  },
  // Recovery.
  { code: 'oversized-recovery', of: disk([C, { ...recovery, size: 9000 }]), partitions: [2] },
  {
    code: 'unused-recovery',
    of: disk([C, recovery, recovery], 1, {}, environment(true, 2)),
    partitions: [3],
  },
  {
    code: 'unused-recovery',
    of: disk([C, recovery], 1, {}, environment(true, 1)),
    partitions: [2],
    says: /The recovery partition is not in use.*elsewhere/,
  },
  { code: 'recovery-off', of: disk([C, recovery], 1, {}, environment(false, null)), partitions: [2] },
  { code: 'recovery-mismatch', of: disk([C, data], 1, {}, environment(true, 2)), partitions: [2] },
  // Normal: Windows' own fallback, and the usual place on machines that start by BIOS.
  {
    code: 'recovery-within',
    of: disk([C, recovery], 1, {}, environment(true, 1)),
    partitions: [1],
    says: /on the Windows volume itself.*in order/,
  },
  {
    code: 'recovery-within',
    of: mbr([{ role: 'system', size: 500, used: 400 }, C], 1, environment(true, 1)),
    target: 2,
    partitions: [1],
    says: /start by BIOS.*never shrunk/,
  },
  { code: 'recovery-mismatch', of: disk([C, recovery], 1, {}, environment(true, 7)), partitions: [] },
  // The machine.
  {
    code: 'hibernated',
    of: disk([C], 1, {}, (_, { machine }) => (machine.hibernated = true)),
    partitions: [1],
  },
  {
    code: 'hibernation-set',
    of: disk([C], 1, {}, (_, { machine }) => (machine.hibernation = true)),
    partitions: [],
  },
  {
    code: 'on-battery',
    of: disk([C], 1, {}, (_, { machine }) => (machine.onBattery = true)),
    partitions: [],
  },
];

const findingsOf = (row: Row) => {
  const outcome = diagnose({ survey: row.of, disk: 0, partition: row.target ?? 1 });
  if (!outcome.ok) throw new Error(JSON.stringify(outcome.problems));
  return outcome.value.findings;
};

describe('every finding', () => {
  it.each(FINDINGS.map((row) => [row.code, row] as const))('%s', (code, row) => {
    const findings = findingsOf(row);
    const finding = findings.find((one) => one.code === code);
    expect(finding, findings.map((one) => one.code).join()).toBeDefined();
    expect(finding!.partitions).toEqual(row.partitions);
    if (row.says) expect(`${finding!.title} ${finding!.detail}`).toMatch(row.says);
    for (const one of findings) {
      expect(one.title).toMatch(/\w{2,}.*[^.]$/);
      expect(one.detail).toMatch(/[.]$/);
    }
  });

  it('has a survey here: no code in the sources is without one', () => {
    const folder = new URL('.', import.meta.url).pathname;
    const files = readdirSync(folder)
      .filter((name) => name.endsWith('.ts') && !name.includes('.test.'))
      .map((name) => folder + name);
    const written = [...files, `${folder}../planning/blocks.ts`].flatMap((path) =>
      [...readFileSync(path, 'utf8').matchAll(/(?:code: |note\(\s*|add\(\s*)'([a-z-]+)'/g)].map(
        ([, code]) => code!,
      ),
    );
    expect(written.length).toBeGreaterThan(30);
    const shown = new Set(FINDINGS.map((row) => row.code));
    expect(written.filter((code) => !shown.has(code))).toEqual([]);
  });

  it('names a total for a virtual disk that gives just what was promised', () => {
    const row = FINDINGS.find((one) => one.code === 'virtual-disk-enlarge')!;
    const finding = findingsOf(row).find((one) => one.code === row.code)!;
    const found = row.of.disks[0]!.sectors * 512;
    const total = Number(/\(([\d,]+) bytes\)/.exec(finding.detail)![1]!.replaceAll(',', ''));
    // 19 GiB more for C:, less the 1 GiB at the end, of which the backup table takes its 33 sectors.
    expect(total - found).toBeGreaterThanOrEqual(gib(18) * 2 ** 20);
    expect(total - found).toBeLessThanOrEqual((gib(18) + 1) * 2 ** 20);
  });

  it.each(['encrypting', 'decrypting'] as const)(
    'says of a volume that is %s the same in the headline as on the card',
    (state) => {
      const survey = disk([{ ...C, ...encryption(state, 40) }], 900);
      const outcome = diagnose({ survey, disk: 0, partition: 1 });
      const said = outcome.ok ? outcome.value : null;
      expect(said?.canExtendNow).toBe(false);
      expect(said?.headline).toMatch(/cannot extend C: now, because it is still being (en|de)crypted/);
      const card = said?.findings.find((one) => one.code === `encryption-${state}`);
      expect(card?.detail).toContain('Windows included');
      expect(card?.remedies.some(({ title }) => title.includes('Let Windows do the last step'))).toBe(false);
    },
  );

  it.each(['windows-not-named', 'hybrid-record', 'no-protective-record'])(
    'says nothing of the layout where %s makes it untrue',
    (code) => {
      const row = FINDINGS.find((one) => one.code === code)!;
      const outcome = diagnose({ survey: row.of, disk: 0, partition: row.target ?? 1 });
      if (!outcome.ok) throw new Error('it can be diagnosed');
      const { findings, inReach, canExtendNow, summary, headline } = outcome.value;
      expect(findings.filter(({ severity }) => severity !== 'blocks')).toEqual([]);
      expect({ inReach, canExtendNow }).toEqual({ inReach: 0, canExtendNow: false });
      expect(summary).toContain('would mislead');
      expect(headline).toContain('cannot extend');
    },
  );

  it('counts room for a logical drive inside its extended partition only', () => {
    const of = mbr([C], 20_000, extendedWith(drive(5, 5001, 900), drive(6, 7002, 900)));
    const findings = findingsOf({ code: '', of, target: 5, partitions: [] });
    // From 5,901 to 7,001 MiB, the last of which the next drive's record takes.
    expect(findings.find((one) => one.code === 'in-reach')!.detail).toContain('1,100 MiB');
  });
});
