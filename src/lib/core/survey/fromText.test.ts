import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { csvOf, isSurveyText, machineOf, MAX_TEXT, surveyFromText, type SurveyDocument } from '.';
import { clinic } from '../test/clinic';

const given = { called: 'The text', machineName: 'reception desk', takenAt: '2026-11-26T10:00:00Z' };
const read = (text: string) => surveyFromText(text, given);
const lsblk = {
  blockdevices: [
    {
      name: 'sda',
      type: 'disk',
      pttype: 'gpt',
      size: 500_107_862_016,
      'log-sec': 512,
      children: [
        {
          name: 'sda1',
          type: 'part',
          start: 2048,
          size: 104_857_600,
          parttype: 'c12a7328-f81f-11d2-ba4b-00a0c93ec93b',
        },
      ],
    },
  ],
};

describe('a survey as text', () => {
  const layout = (survey: unknown) =>
    machineOf(survey as SurveyDocument).disks.map((disk) =>
      disk.partitions.map(({ number, first, sectors, letter }) => [number, first, sectors, letter]),
    );

  it.each([
    ['a document', JSON.stringify(clinic())],
    ['a document with line ends and a byte order mark', `\uFEFF\n${JSON.stringify(clinic(), null, 2)}\r\n`],
    ['a table of its partitions', csvOf(clinic())],
  ])('is read from %s, to the sector', (_, text) => {
    expect(isSurveyText(text.slice(0, 4096))).toBe(true);
    const outcome = read(text);
    if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
    expect(layout(outcome.value)).toEqual(layout(clinic()));
  });

  it('is read from what lsblk prints, with what only the technician knows', () => {
    const outcome = read(JSON.stringify(lsblk));
    if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
    expect(outcome.value).toMatchObject({
      takenAt: given.takenAt,
      machine: { name: 'reception desk' },
      disks: [{ partitions: [{ first: 2048, sectors: 204_800 }] }],
    });
  });

  it.each([
    ['', 'text-empty', /^The text is empty[.]$/],
    [' \n\t', 'text-empty', /empty/],
    ['hello', 'text-json', /^The text is no whole JSON: .*begins with [{]/],
    [JSON.stringify(clinic()).slice(0, -1), 'text-json', /no whole JSON/],
    [`{"x":"${'y'.repeat(MAX_TEXT)}"}`, 'text-long', /^The text is 4[.]0 MiB of text[.]/],
    [JSON.stringify({ blockdevices: [] }), 'lsblk-empty', /no disk/],
  ])('is refused in a sentence where it is “%.12s”', (text, code, message) => {
    const outcome = read(text);
    if (outcome.ok) throw new Error('it was taken');
    expect(outcome.problems[0]!.code).toBe(code);
    expect(outcome.problems[0]!.message).toMatch(message);
    expect(outcome.problems[0]!.message).toMatch(/[.?}]$/);
  });

  it('is taken or refused, whatever it is made of, and never breaks anything', () => {
    const pieces = fc.constantFrom(
      '{',
      '}',
      '[',
      ']',
      '"',
      ',',
      ':',
      '\n',
      'disk',
      'number',
      'first',
      '1',
      '\u0000',
      '🥐',
      '=',
    );
    fc.assert(
      fc.property(fc.oneof(fc.string({ unit: pieces, maxLength: 60 }), fc.json()), (text) => {
        const outcome = read(text);
        if (!outcome.ok) expect(outcome.problems[0]!.message.length).toBeGreaterThan(10);
      }),
    );
  });

  it('is told from an image by how it begins', () => {
    for (const head of ['\u0000\u0000EFI PART', 'conectix', 'vhdxfile', 'plain words', ''])
      expect(isSurveyText(head), head).toBe(false);
  });
});
