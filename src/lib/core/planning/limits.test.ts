import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { diskSpec, surveyWith, type DiskSpec, type PartitionSpec } from '../survey/sketch';
import type { SurveyDocument } from '../survey';
import { GIB, MIB } from '../units';
import { diagnose } from '../diagnosis';
import { planRoutes, type Route, type RoutesAnswer, type RoutesRequest } from '.';

const gib = (value: number): number => value * 1024; // the builder counts in MiB
const C: PartitionSpec = { role: 'windows', size: gib(60), used: gib(50), letter: 'C' };

function surveyOf(partitions: PartitionSpec[], rest: number, spec: Partial<DiskSpec> = {}): SurveyDocument {
  const size = partitions.reduce((sum, one) => sum + one.size + (one.gap ?? 0), 0) + 1 + rest;
  return surveyWith(diskSpec({ size, ...spec }, partitions));
}
function planned(survey: SurveyDocument, ask: Omit<RoutesRequest, 'survey' | 'disk'>): RoutesAnswer {
  const answer = planRoutes({ survey, disk: 0, ...ask }, { milliseconds: 20_000 });
  if (!answer.ok) throw new Error(JSON.stringify(answer.problems));
  return answer.value;
}
const stepsOf = (routes: readonly Route[]) => routes.flatMap((route) => route.steps);

describe('the most that is offered ends on a whole MiB (domain facts 1)', () => {
  it.each([
    ['a disk that ends 2,015 sectors past one', 'mbr', 2015],
    ['one that ends on a MiB', 'mbr', 0],
    ['a GPT, whose usable area ends 34 sectors before the end', 'gpt', 0],
  ] as const)('on %s', (_, table, odd) => {
    const survey = surveyOf([C, { role: 'data', size: gib(20), used: gib(2), letter: 'D' }], gib(9), {
      table,
    });
    survey.disks[0]!.sectors += odd;
    const answer = planned(survey, { goal: { partition: 1, max: true } });
    expect(answer.reached).toBe(true);
    expect(answer.largest % MIB).toBe(0);
    for (const bytes of Object.values(answer.largestByKit)) expect(bytes % MIB).toBe(0);
    for (const route of answer.routes) {
      const target = route.asLeft.partitions.find((one) => one.number === 1)!;
      expect((target.first + target.sectors) % 2048).toBe(0);
    }
    const said = diagnose({ survey, disk: 0, partition: 2 });
    const card = said.ok ? said.value.findings.find((one) => one.code === 'in-reach') : undefined;
    expect(card?.detail).toMatch(/\(9,\d\d\d MiB\)/);
  });

  it('a start that is not on one does not matter, and what ends elsewhere already is left so', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2047 }), fc.integer({ min: 0, max: 2047 }), (late, more) => {
        const survey = surveyOf([C], gib(5), { table: 'mbr' });
        const [disk] = survey.disks;
        const [target] = disk!.partitions;
        target!.first -= late;
        target!.sectors += more;
        const { largest, routes } = planned(survey, {
          goal: { partition: 1, max: true },
          kits: ['windows-only'],
        });
        const end = target!.first + largest / 512;
        expect(end % 2048).toBe(0);
        expect(end).toBeGreaterThan(disk!.sectors - 2048);
        for (const route of routes)
          expect((route.asLeft.partitions[0]!.first + route.asLeft.partitions[0]!.sectors) % 2048).toBe(0);
        disk!.sectors = target!.first + target!.sectors;
        const full = planned(survey, { goal: { partition: 1, max: true }, kits: ['windows-only'] });
        expect(full.largest).toBe(target!.sectors * 512);
      }),
      { numRuns: 20 },
    );
  });
});

describe('FAT32 within its limits', () => {
  it('no step of any route has Windows format one above 32 GiB', () => {
    const survey = surveyOf(
      [
        C,
        { role: 'data', size: gib(200), used: gib(60), letter: 'D', fileSystem: 'fat32', clusterSize: 32768 },
      ],
      gib(150),
    );
    const { routes } = planned(survey, { goal: { partition: 1, grow: 120 * GIB } });
    const created = stepsOf(routes).filter((step) => step.verb === 'create');
    expect(created.length).toBeGreaterThan(0);
    for (const step of created) {
      const bytes = step.to!.sectors * 512;
      if (bytes > 32 * GIB) expect(step.tool).not.toBe('windows');
    }
    expect(routes.some((route) => route.kit === 'windows-only')).toBe(false);
  });

  it('a donor stays FAT32', () => {
    const survey = surveyOf(
      [C, { role: 'data', size: gib(9), used: 10, letter: 'D', fileSystem: 'fat32', clusterSize: 32768 }],
      1,
    );
    // 65,525 clusters of 32 KiB: all but some 7 GiB stays.
    expect(planned(survey, { goal: { partition: 1, grow: 6 * GIB } }).routes.length).toBeGreaterThan(0);
    expect(planned(survey, { goal: { partition: 1, grow: 7.5 * GIB } }).reached).toBe(false);
  });

  it('as a target it ends below 2 TiB', () => {
    const survey = surveyOf(
      [{ ...C, fileSystem: 'fat32', clusterSize: 65536, role: 'data', letter: 'D' }],
      gib(4000),
    );
    const { largest } = planned(survey, { goal: { partition: 1, max: true }, kits: ['offline-mover'] });
    expect(largest).toBeLessThan(2048 * GIB);
    const beyond = planned(survey, { goal: { partition: 1, size: 2048 * GIB } });
    expect(beyond.findings[0]).toMatchObject({ code: 'sector-limit', severity: 'blocks' });
  });
});

describe('what is not touched', () => {
  it.each(['encrypting', 'decrypting'] as const)('a target that is %s, before that has ended', (state) => {
    const encryption = { state, percent: 40 };
    const survey = surveyOf([{ ...C, encryption }], gib(50));
    const { routes } = planned(survey, { goal: { partition: 1, grow: 20 * GIB } });
    expect(routes.length).toBeGreaterThan(0);
    for (const { steps } of routes) {
      const verbs = steps.map(({ verb }) => verb);
      expect(verbs.indexOf('decrypt')).toBeGreaterThanOrEqual(0);
      expect(verbs.indexOf('decrypt')).toBeLessThan(verbs.indexOf('extend'));
    }
  });

  it('a neighbour of which only the backup boot sector is sound', () => {
    const survey = surveyOf([C, { role: 'data', size: gib(20), used: gib(2), letter: 'D' }], gib(50));
    survey.disks[0]!.partitions[1]!.volume!.bootSector = 'backup';
    const answer = planned(survey, { goal: { partition: 1, grow: 10 * GIB } });
    expect(answer).toMatchObject({ reached: false, routes: [] });
    expect(stepsOf(answer.routes).filter((step) => step.partition === 2)).toEqual([]);
  });
});

describe('a FAT16 volume, with the kits that ship (domain facts 7)', () => {
  it.each(['live-mover', 'offline-mover'])('is extended, and gives what it can spare: %s', (kit) => {
    const small: PartitionSpec = {
      role: 'data',
      size: 3000,
      used: 100,
      letter: 'D',
      fileSystem: 'fat16',
      clusterSize: 65536,
    };
    const grown = planned(surveyOf([small], 800), { goal: { partition: 1, grow: 500 * MIB }, kits: [kit] });
    expect(grown.routes[0]?.steps.map(({ verb }) => verb)).toEqual(['extend']);
    const given = planned(surveyOf([C, small], 0), { goal: { partition: 1, grow: 300 * MIB }, kits: [kit] });
    expect(given.routes[0]?.steps.map(({ verb }) => verb)).toEqual(['shrink', 'move', 'extend']);
  });
});
