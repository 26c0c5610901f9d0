import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { drawingOf } from '../drawing';
import { taskFor } from '../drawing/test/sample';
import { planRoutes } from '../planning';
import { quoteLiteral } from '../steps/powershell/quote';
import { diskSpec, surveyWith } from '../survey/sketch';
import { GIB } from '../units';
import { makeSheet, stepsOf } from '.';

const QUOTES = "'\u2018\u2019\u201a\u201b";

/** Reads a literal as PowerShell's grammar has it: any of five quotes ends it, two in a row stand for one. */
function readLiteral(text: string): { value: string; rest: string } {
  if (!QUOTES.includes(text[0] ?? ' ')) throw new Error('no literal');
  let value = '';
  for (let i = 1; i < text.length; i++) {
    if (!QUOTES.includes(text[i]!)) value += text[i];
    else if (QUOTES.includes(text[i + 1] ?? ' ')) value += text[i++];
    else return { value, rest: text.slice(i + 1) };
  }
  throw new Error('it does not end');
}

const names = fc.string({
  unit: fc.constantFrom('a', ' ', '$', '`', '"', ';', ')', ...QUOTES, '\n', '\u0007', 'ü', '🥐'),
  maxLength: 12,
});

describe('a PowerShell literal', () => {
  it('is read back as the name it was made of, whatever quotes that holds, and never ends early', () =>
    fc.assert(
      fc.property(names, (name) => {
        const { value, rest } = readLiteral(quoteLiteral(name));
        expect(rest).toBe('');
        expect(value).toBe(name.replaceAll('\n', ' ').replaceAll('\u0007', ' '));
        expect(quoteLiteral(name)).not.toContain('\n');
      }),
    ));

  it('keeps a volume’s odd label from becoming a command of the script', () => {
    const label = "Bob's ’; Remove-Item D:\\ -Recurse #";
    const survey = surveyWith(
      diskSpec({ size: 300 * 1024 + 2 }, [
        { role: 'windows', size: 100 * 1024, used: 90 * 1024, letter: 'C' },
        { role: 'data', size: 150 * 1024, used: 20 * 1024, letter: 'D', label },
      ]),
    );
    const ask = { goal: { partition: 1, size: 130 * GIB } };
    const { task, kit, request } = taskFor('windows-only', ask, survey);
    const answer = planRoutes(request);
    if (!answer.ok) throw new Error('it can be planned');
    const sheet = makeSheet(task, kit, drawingOf(answer.value.routes[0]!));
    if (!sheet.ok) throw new Error(sheet.problems[0]!.message);
    const scripts = [...sheet.value.before, ...stepsOf(sheet.value)].flatMap(
      ({ script }) => script?.text ?? [],
    );
    expect(scripts.join('\n')).toContain('Recurse');
    for (const line of scripts.join('\n').split('\n')) {
      if (line.startsWith('#')) continue;
      // With every literal read as one, no word of the label is left as code.
      let code = '';
      for (let rest = line; rest !== '';) {
        if (rest.startsWith("'")) rest = readLiteral(rest).rest;
        else {
          code += rest[0];
          rest = rest.slice(1);
        }
      }
      expect(code).not.toMatch(/Recurse|Bob/);
    }
  });
});
