import { describe, expect, it } from 'vitest';
import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '../survey/sketch';
import { clinic } from '../test/clinic';
import { GIB, MIB } from '../units';
import type { SurveyDocument } from '../survey';
import { diagnose, type Diagnosis } from '.';

const C: PartitionSpec = { role: 'windows', size: 4000, used: 3800, letter: 'C', label: 'Windows' };
const recovery: PartitionSpec = { role: 'recovery', size: 600, used: 400 };
const roomy: PartitionSpec = { role: 'data', size: 20_000, used: 2000, letter: 'D', label: 'Archive' };
const full: PartitionSpec = { role: 'data', size: 2000, used: 2000, letter: 'E', label: 'Ledgers' };

const survey = (partitions: PartitionSpec[], rest = 1, disk: Partial<DiskSpec> = {}): SurveyDocument => {
  const length = partitions.reduce((sum, spec) => sum + spec.size + (spec.gap ?? 0), 0) + 1 + rest;
  return surveyWith(diskSpec({ size: length, ...disk }, partitions));
};
const of = (document: SurveyDocument, partition = 1): Diagnosis => {
  const outcome = diagnose({ survey: document, disk: 0, partition });
  if (!outcome.ok) throw new Error(JSON.stringify(outcome.problems));
  return outcome.value;
};
const codes = (diagnosis: Diagnosis) => diagnosis.findings.map((finding) => finding.code);

describe('the plain answer', () => {
  it('says by how much Windows can extend at once', () => {
    const diagnosis = of(survey([C], 40 * 1024 + 1));
    expect(diagnosis).toMatchObject({
      canExtendNow: true,
      inReach: 40 * GIB + MIB - 33 * 512,
      headline: 'Windows can extend C: now by 40.0 GiB.',
    });
    expect(codes(diagnosis)).toEqual(['in-reach']);
  });

  it('names what stands directly behind the target', () => {
    const diagnosis = of(clinic(), 3);
    expect(diagnosis.canExtendNow).toBe(false);
    expect(diagnosis.headline).toBe(
      'Windows cannot extend C: now, because Recovery stands directly behind it.',
    );
    expect(diagnosis.summary).toContain('Archive (D:) could spare up to');
    expect(diagnosis.summary).toContain('2 partitions away');
    expect(codes(diagnosis)).toEqual(['obstacle-recovery', 'room-inside']);
  });

  it.each<[string, SurveyDocument, string]>([
    ['the end of the disk', survey([C]), 'because C: reaches the end of disk 0.'],
    [
      'a file system that it does not extend',
      survey([{ ...C, fileSystem: 'fat32' }], 9000),
      'because it does not extend this file system.',
    ],
    [
      'one that nothing extends',
      survey([{ ...C, fileSystem: 'exfat' }], 9000),
      'because C: cannot be grown.',
    ],
  ])('gives the reason: %s', (_, document, reason) => expect(of(document).headline).toContain(reason));
});

describe('findings, from the target outwards', () => {
  it.each<[string, SurveyDocument, string[]]>([
    ['a recovery partition, then room', survey([C, recovery], 5000), ['obstacle-recovery']],
    [
      'several obstacles in order',
      survey([C, recovery, full, roomy]),
      ['obstacle-recovery', 'obstacle-data', 'room-inside'],
    ],
    ['a donor next door', survey([C, roomy]), ['room-inside']],
    ['a donor with room behind it', survey([C, roomy], 5000), ['room-inside', 'room-behind-donor']],
    ['an encrypted obstacle', survey([C, { ...full, encrypted: true }], 5000), ['obstacle-encrypted']],
    ['nothing beyond the neighbour', survey([C, recovery, full]), ['obstacle-recovery', 'no-room-behind']],
    [
      'EFI and reserved behind',
      survey(
        [C, { role: 'efi', size: 100, used: 30, fileSystem: 'fat32' }, { role: 'reserved', size: 16 }],
        5000,
      ),
      ['obstacle-efi', 'obstacle-reserved'],
    ],
    ['room on the left', survey([{ ...C, gap: 3000 }]), ['no-room-behind', 'room-left']],
    [
      'a table that ends before the disk',
      survey([C], 9000, { backupHeader: 4002 * 2048 }),
      ['table-not-at-end'],
    ],
    [
      'a table that ends before the disk, behind recovery',
      survey([C, recovery], 9000, { backupHeader: (4002 + recovery.size) * 2048 }),
      ['table-not-at-end', 'obstacle-recovery'],
    ],
    ['an encrypted target', survey([{ ...C, encrypted: true }], 5000), ['encryption-on', 'in-reach']],
    [
      'a volume that asks for a check',
      survey([C, { ...roomy, dirty: true }]),
      ['room-inside', 'dirty-volume'],
    ],
  ])('%s', (_, document, expected) => expect(codes(of(document))).toEqual(expected));

  it('finds nothing else where all is in order', () => {
    const ordinary = survey([C, recovery, roomy]);
    ordinary.machine.recoveryEnvironment = { enabled: true, disk: 0, partition: 2 };
    expect(codes(of(ordinary))).toEqual(['obstacle-recovery', 'room-inside']);
  });

  it('counts room on another disk, which no volume can take', () => {
    const two = surveyWith(diskSpec({ size: 4002 }, [C]), diskSpec({ size: 50_000, seed: 2 }, []));
    expect(codes(of(two))).toContain('room-other-disk');
  });

  it('tells the machine’s own state, and lets hibernation block everything', () => {
    const document = survey([C], 5000);
    Object.assign(document.machine, { hibernation: true, onBattery: true });
    expect(codes(of(document))).toEqual(['in-reach', 'hibernation-set', 'on-battery']);
    document.machine.hibernated = true;
    const asleep = of(document);
    expect(asleep.canExtendNow).toBe(false);
    expect(asleep.findings[0]).toMatchObject({ code: 'hibernated', severity: 'blocks' });
    expect(asleep.largest['offline-mover']).toBe(4000 * MIB);
  });

  it('has a sentence, a reason and remedies with tools for each', () => {
    for (const finding of of(clinic(), 3).findings) {
      expect(finding.title.length).toBeGreaterThan(5);
      expect(finding.detail).toMatch(/[.]$/);
      expect(finding.remedies.flatMap((remedy) => remedy.tools)).toContain('windows');
    }
  });

  it('refuses a partition that is not there, at its field', () => {
    const outcome = diagnose({ survey: clinic(), disk: 0, partition: 77 });
    expect(outcome).toMatchObject({ ok: false, problems: [{ path: '/partition', code: 'no-partition' }] });
  });
});

describe('a disk that was enlarged', () => {
  const enlarged = (partitions: PartitionSpec[], taken: number) =>
    of(survey(partitions, 80 * 1024, { media: 'virtual', backupHeader: (taken + 2) * 2048 - 1 }));

  it('counts what lies beyond the table, and says so wherever it speaks of room', () => {
    const { headline, summary, findings, canExtendNow, inReach } = enlarged([C], C.size);
    expect(headline).toMatch(
      /^Windows cannot extend C: now, because the [\d.]+ GiB behind it lie beyond the partition table\.$/,
    );
    expect(summary).toMatch(
      /^[\d.]+ GiB of this disk is unallocated, (all|[\d.]+ GiB) of it beyond the table\.$/,
    );
    expect([canExtendNow, inReach]).toEqual([false, 0]);
    expect(findings.map(({ code, severity }) => [code, severity])).toEqual([['table-not-at-end', 'costs']]);
  });

  it('knows the obstacle before that room', () => {
    const { headline, findings } = enlarged([C, recovery], C.size + recovery.size);
    expect(headline).toContain('because Recovery stands directly behind it');
    expect(findings.map(({ code }) => code)).toEqual(['table-not-at-end', 'obstacle-recovery']);
    expect(findings[1]!.detail).toMatch(/^[\d.]+ GiB lies directly behind it, out of reach of C:/);
  });
});
