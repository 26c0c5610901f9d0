import fc from 'fast-check';
import Papa from 'papaparse';
import { describe, expect, it } from 'vitest';
import { clinic } from '../test/clinic';
import type { SurveyDocument } from '.';
import { csvOf, isSurveyCsv, surveyFromCsv } from './csv';

const back = (csv: string): SurveyDocument => {
  const outcome = surveyFromCsv(csv);
  if (!outcome.ok) throw new Error(JSON.stringify(outcome.problems));
  return outcome.value as SurveyDocument;
};
const refused = (csv: string) => {
  const outcome = surveyFromCsv(csv);
  return outcome.ok ? [] : outcome.problems.map(({ code, message }) => `${code}: ${message}`);
};
const cells = (csv: string) => Papa.parse<string[]>(csv).data;

/** The clinic with everything that a document may hold, awkward text and unknown fields too. */
function awkward(label: string, extra: unknown): SurveyDocument {
  const survey = clinic();
  survey.notes = ['encryption state could not be read', 'a "quoted", note\nin two lines'];
  survey.machine.recoveryEnvironment = { enabled: true, disk: 0, partition: 4 };
  const [disk] = survey.disks;
  disk!.partitions[2]!.name = label;
  const volume = disk!.partitions[2]!.volume!;
  volume.label = label;
  volume.encryption = { state: 'decrypting', percent: 12.5, usedOnly: false };
  volume.clusterMap = { clustersPerBucket: 8, used: [1, 2, 3] };
  disk!.partitions[3]!.volume = null;
  Object.assign(volume, { remark: extra });
  Object.assign(survey, { workshop: extra });
  survey.disks.push({ ...disk!, number: 1, id: null, serial: '', partitions: [] });
  return survey;
}

describe('CSV of the partitions', () => {
  it('reads back as the same document, whatever the text holds', () => {
    const text = fc.oneof(
      fc.string({ unit: 'grapheme', maxLength: 30 }),
      fc.constantFrom('=1+2', "'=1", '-5', '@x', '"', 'a,b', ' two  spaces ', 'line\r\nbreak', 'true', '007'),
    );
    fc.assert(
      fc.property(text, fc.jsonValue(), (label, extra) => {
        const survey = JSON.parse(JSON.stringify(awkward(label, extra))) as SurveyDocument;
        expect(back(csvOf(survey))).toEqual(survey);
      }),
      { numRuns: 300 },
    );
  });

  it('is RFC 4180: a header, CR LF, one row a partition, quotes doubled', () => {
    const csv = csvOf(awkward('say "hello", twice', 1));
    expect(isSurveyCsv(csv)).toBe(true);
    const [header, ...rows] = cells(csv);
    expect(rows).toHaveLength(6); // five partitions, and the empty second disk
    expect(rows.every((row) => row.length === header!.length)).toBe(true);
    expect(csv.split('\r\n')).toHaveLength(7);
    expect(csv).toContain('"say ""hello"", twice"');
  });

  it('never lets a label be taken for a formula', () => {
    const rows = cells(csvOf(awkward('=HYPERLINK("x")', 1)))
      .slice(1)
      .flat();
    expect(rows.filter((cell) => /^[=+@]/.test(cell))).toEqual([]);
  });

  it.each(['6812345678901234', '00123456', '12E45678', '3.50'])(
    'keeps the text %s from being taken for a figure, and reads it back',
    (serial) => {
      const survey = clinic();
      survey.disks[0]!.serial = serial;
      const csv = csvOf(survey);
      const [header, first] = cells(csv) as [string[], string[]];
      expect(Number(first[header.indexOf('disk.serial')])).toBeNaN();
      expect(back(csv).disks[0]!.serial).toBe(serial);
    },
  );

  it('takes an id that only looks like a shortened number, from a table that was not guarded', () => {
    const csv = csvOf(clinic()).replaceAll('GT-TEST-0001', '12E45678');
    expect(back(csv).disks[0]!.serial).toBe('12E45678');
  });

  it('takes what a spreadsheet makes of it: capitals, columns in another order, columns of its own', () => {
    const [header, ...rows] = cells(csvOf(clinic())) as [string[], ...string[][]];
    const mixed = [[...header, 'remark'], ...rows.map((row) => [...row, 'checked'])].map((row) =>
      row.reverse(),
    );
    const again = back(Papa.unparse(mixed).replaceAll('false', 'FALSE'));
    expect(again.notes).toEqual(['column “remark” of the table was not read']);
    expect(again.disks).toEqual(JSON.parse(JSON.stringify(clinic().disks)));
  });

  it.each<[string, (csv: string) => string, RegExp]>([
    ['a column is missing', (csv) => csv.replace('partition.first', 'start'), /no column “partition.first”/],
    ['there are no rows', (csv) => csv.split('\r\n')[0]!, /no rows/],
    [
      'a number is none',
      (csv) => csv.replace(/\r\n0,([^,]*),3,/, '\r\n0,$1,three,'),
      /Line 4, partition.number: “three”/,
    ],
    ['a quote is not closed', (csv) => `${csv}\r\n"0,1`, /broken/],
    [
      'two rows differ on their disk',
      (csv) => csv.replace(/nvme(?=[^\n]*\r\n0,)/, 'hdd'),
      /Lines 2 and 3 say different/,
    ],
    [
      'a spreadsheet has shortened a figure',
      (csv) => csv.replace(/,127775277056,/, ',1.27775E+11,'),
      /Line 4, volume\.size: “1\.27775E\+11” is not a whole number in plain digits/,
    ],
    [
      'a shortened figure happens to be whole',
      (csv) => csv.replace(/,567296,/, ',5.67296E+05,'),
      /Line 4, partition\.first: “5\.67296E\+05”/,
    ],
    [
      'a figure was given decimals',
      (csv) => csv.replace(/,567296,/, ',567296.00,'),
      /Line 4, partition\.first: “567296\.00”/,
    ],
    [
      'a figure was given separators',
      (csv) => csv.replace(/,567296,/, ',"567,296",'),
      /Line 4, partition\.first: “567,296”/,
    ],
    [
      'a size was rounded to what can be no size',
      (csv) => csv.replace(/,127775277056,/, ',127775000000,'),
      /Line 4, volume\.size: 127775000000 bytes is no whole number of 512-byte sectors/,
    ],
    [
      'a figure has more digits than are exact',
      (csv) => csv.replace(/,567296,/, ',56729600000000000000,'),
      /Line 4, partition\.first/,
    ],
    [
      'a serial number was taken for a figure',
      (csv) => csv.replaceAll('GT-TEST-0001', '1.2345E+15'),
      /Line 2, disk\.serial: “1\.2345E\+15” is not the whole text/,
    ],
    ['a level is no JSON', (csv) => csv.replace(/$/, '{'), /is not an object in JSON|broken/],
  ])('is refused where %s', (_, spoil, says) => expect(refused(spoil(csvOf(clinic()))).join()).toMatch(says));
});
