import { describe, expect, it } from 'vitest';
import { clinic } from '../test/clinic';
import { MIB } from '../units';
import type { SurveyDocument } from '.';
import { compareSurveys, pairName } from './compare';
import { diskSpec, surveyWith } from './sketch';

const GROWN = 10 * 2048;

/** The clinic after C: grew by 10 MiB and Recovery moved as far, with everything renumbered. */
function later(): SurveyDocument {
  const survey = clinic();
  const [, , windows, recovery, archive] = survey.disks[0]!.partitions;
  windows!.sectors += GROWN;
  windows!.volume!.size += GROWN * 512;
  recovery!.first += GROWN;
  archive!.first += GROWN;
  archive!.sectors -= GROWN;
  archive!.volume!.size -= GROWN * 512;
  [recovery!.number, archive!.number] = [7, 8];
  return survey;
}
const facts = (changes: { what: string }[]) => changes.map((change) => change.what);

describe('two surveys of one machine', () => {
  it('that say the same are the same, whatever the order of disks and letters’ case', () => {
    expect(compareSurveys(clinic(), clinic())).toMatchObject({ same: true, machine: [] });
    const small = clinic();
    small.disks[0]!.partitions[2]!.letter = 'c';
    small.disks[0]!.partitions.reverse();
    expect(compareSurveys(clinic(), small).same).toBe(true);
  });

  it('match partitions by GUID, not by number, and name what changed with exact MiB', () => {
    const { disks, same } = compareSurveys(clinic(), later());
    expect(same).toBe(false);
    const [, , windows, recovery, archive] = disks[0]!.partitions;
    expect(facts(windows!.changes)).toEqual(['Size', 'Size of the file system']);
    expect(windows!.changes[0]).toMatchObject({
      before: '119.0 GiB (121,856 MiB)',
      after: '119.0 GiB (121,866 MiB)',
    });
    expect(facts(recovery!.changes)).toEqual(['Start', 'Number']);
    expect(facts(archive!.changes)).toEqual(['Start', 'Size', 'Size of the file system', 'Number']);
    expect(pairName(archive!)).toBe('D: Archive, partition 8');
  });

  it('tell what is gone and what is new, one GUID for another too', () => {
    const after = clinic();
    after.disks[0]!.partitions[3]!.id = '47540000-0000-4000-8000-0000000000FF';
    const pairs = compareSurveys(clinic(), after).disks[0]!.partitions;
    expect(pairs.map(({ before, after }) => [before?.number ?? null, after?.number ?? null])).toEqual([
      [1, 1],
      [2, 2],
      [3, 3],
      [null, 4],
      [5, 5],
      [4, null],
    ]);
  });

  it('match partitions without GUID by their start, then by number', () => {
    const before = surveyWith(
      diskSpec({ size: 900, table: 'mbr' }, [
        { role: 'windows', size: 300, used: 200 },
        { size: 300, used: 10 },
      ]),
    );
    const after = structuredClone(before);
    const [first, second] = after.disks[0]!.partitions;
    [first!.number, second!.number] = [2, 1];
    second!.first += 2048;
    const pairs = compareSurveys(before, after).disks[0]!.partitions;
    expect(pairs.map(({ before, after }) => [before?.number, after?.number])).toEqual([
      [1, 2],
      // Its start changed, so the number that is left decides; both surveys then speak of one partition.
      [undefined, 1],
      [2, undefined],
    ]);
  });

  it('match disks by GUID, else by serial, and tell an enlarged one', () => {
    const before = surveyWith(
      diskSpec({ size: 900 }, []),
      diskSpec({ size: 500, seed: 2, serial: 'GT-B' }, []),
    );
    const after = structuredClone(before);
    after.disks.reverse().forEach((disk, number) => Object.assign(disk, { number }));
    const enlarged = after.disks[0]!;
    Object.assign(enlarged, {
      id: null,
      backupHeader: enlarged.sectors - 1,
      sectors: enlarged.sectors + (100 * MIB) / 512,
    });
    const pairs = compareSurveys(before, after).disks;
    expect(pairs.map((pair) => [pair.before?.serial, facts(pair.changes)])).toEqual([
      ['GT-B', ['Number', 'Size', 'Table’s GUID or signature']],
      ['GT-TEST-0001', ['Number']],
    ]);
  });

  it('tell the machine’s own state', () => {
    const after = clinic();
    Object.assign(after.machine, {
      hibernation: true,
      recoveryEnvironment: { enabled: true, disk: 0, partition: 4 },
    });
    expect(compareSurveys(clinic(), after).machine).toEqual([
      { what: 'Recovery environment', before: 'not known', after: 'on, disk 0, partition 4' },
      { what: 'Fast start or hibernation set', before: 'no', after: 'yes' },
    ]);
  });
});
