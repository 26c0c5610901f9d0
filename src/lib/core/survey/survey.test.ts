import { describe, expect, it } from 'vitest';
import { clinic } from '../test/clinic';
import { checkSurvey, machineOf, type SurveyDocument } from '.';

/** The clinic's survey with one thing wrong. */
const broken = (change: (survey: SurveyDocument) => void): SurveyDocument => {
  const survey = clinic();
  change(survey);
  return survey;
};
const part = (survey: SurveyDocument, index: number) => survey.disks[0]!.partitions[index]!;

describe('checkSurvey', () => {
  it('accepts the clinic', () => expect(checkSurvey(clinic())).toEqual([]));

  it.each<[string, string, (survey: SurveyDocument) => void]>([
    ['overlap', '/disks/0/partitions/3/first', (s) => (part(s, 3).first -= 10)],
    ['outside-usable', '/disks/0/partitions/4/first', (s) => (part(s, 4).sectors += 100_000)],
    ['outside-usable', '/disks/0/partitions/0/first', (s) => (part(s, 0).first = 3)],
    ['used-above-size', '/disks/0/partitions/2/volume/used', (s) => (part(s, 2).volume!.used! += 10 ** 11)],
    ['not-sectors', '/disks/0/partitions/2/volume/size', (s) => (part(s, 2).volume!.size -= 1)],
    ['volume-too-large', '/disks/0/partitions/2/volume/size', (s) => (part(s, 2).volume!.size += 512)],
    ['duplicate-number', '/disks/0/partitions/3/number', (s) => (part(s, 3).number = 1)],
    ['duplicate-letter', '/disks/0/partitions/4/letter', (s) => (part(s, 4).letter = 'c')],
    ['duplicate-guid', '/disks/0/partitions/4/id', (s) => (part(s, 4).id = part(s, 2).id!.toLowerCase())],
    ['duplicate-disk', '/disks/1/number', (s) => s.disks.push({ ...s.disks[0]!, partitions: [] })],
    ['usable-area', '/disks/0', (s) => (s.disks[0]!.lastUsable = s.disks[0]!.sectors + 5)],
    ['usable-area', '/disks/0', (s) => (s.disks[0]!.backupHeader = s.disks[0]!.sectors)],
  ])('finds %s at %s', (code, path, change) => {
    const problems = checkSurvey(broken(change));
    expect(problems.map((problem) => [problem.code, problem.path])).toContainEqual([code, path]);
    for (const { message } of problems) expect(message).toMatch(/^[A-Z].*[.?]$/);
  });

  it('wants logical drives inside the extended partition, with the sector before them', () => {
    const mbr = broken((survey) => {
      const disk = survey.disks[0]!;
      Object.assign(disk, { table: 'mbr', id: '6C1F00D5' });
      disk.partitions = [
        { number: 1, first: 2048, sectors: 100_000, type: '0x0F', kind: 'extended' },
        { number: 5, first: 4096, sectors: 50_000, type: '0x07', kind: 'logical' },
      ];
    });
    expect(checkSurvey(mbr)).toEqual([]);
    part(mbr, 1).first = 2048;
    expect(checkSurvey(mbr).map((problem) => problem.code)).toEqual(['logical-outside']);
  });
});

describe('machineOf', () => {
  const roles = (survey: SurveyDocument) =>
    machineOf(survey).disks[0]!.partitions.map((partition) => partition.role);
  const bare = broken((survey) => survey.disks[0]!.partitions.forEach((partition) => delete partition.role));

  it('derives roles from types and from where C: is', () =>
    expect(roles(bare)).toEqual(['efi', 'reserved', 'windows', 'recovery', 'data']));

  it('takes the first NTFS volume for Windows where no letter is known', () => {
    const outside = structuredClone(bare);
    outside.disks[0]!.partitions.forEach((partition) => (partition.letter = null));
    expect(roles(outside)).toEqual(['efi', 'reserved', 'windows', 'recovery', 'data']);
  });

  it('lets the document’s own role count', () => {
    const given = structuredClone(bare);
    part(given, 4).role = 'vendor';
    expect(roles(given)[4]).toBe('vendor');
  });

  it('knows both usable areas of an enlarged disk', () => {
    const enlarged = broken((survey) => {
      survey.disks[0]!.backupHeader = survey.disks[0]!.sectors - 1;
      survey.disks[0]!.sectors += 1_000_000;
    });
    const disk = machineOf(enlarged).disks[0]!;
    expect(disk.usableRelocated.sectors - disk.usable.sectors).toBe(1_000_000);
  });
});
