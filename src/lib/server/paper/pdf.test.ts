import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { paperOf } from './paper';
import { makePdf, runs, words } from './pdf';

/** What Debian's reader sees: the text, and the paper's size in points. */
function read(pdf: Buffer): { text: string; size: string } {
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-'));
  const file = join(folder, 'out.pdf');
  try {
    writeFileSync(file, pdf);
    const text = execFileSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' });
    const info = execFileSync('pdfinfo', [file], { encoding: 'utf8' });
    return { text, size: /Page size: +(.*)/.exec(info)![1]! };
  } finally {
    rmSync(folder, { recursive: true });
  }
}

describe('paper', () => {
  it('sets every text whole, each part in a type that has it', () =>
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 30 }), (text) => {
        expect(
          runs(text)
            .map((run) => run.text)
            .join(''),
        ).toBe(text);
        for (const run of runs(text, { bold: true })) {
          expect(run.bold).toBe(true);
          if (/[^\t\n\r -~\u00a0-\u02ff\u2000-\u22ff]/.test(run.text)) expect(run.font).toBe('Wide');
        }
      }),
    ));

  it('prints names of many alphabets, and arrows, so that a reader finds them again', async () => {
    const names = ['Łukasz Wieczorek', 'Привет', 'Ωμέγα', 'Ærø', 'C: 80.0 GiB → 180.0 GiB', '“D:\\” – ½'];
    const { text } = read(
      await makePdf(
        't',
        'Fuß',
        'A4',
        names.map((name) => words(name)),
      ),
    );
    for (const name of [...names, 'Fuß', '1 of 1']) expect(text).toContain(name);
  });

  it('is A4 unless Letter is asked for', async () => {
    const asked = (query: string) => paperOf(new URL(`http://x/sheet.pdf${query}`));
    expect([asked(''), asked('?paper=a4'), asked('?paper=letter'), asked('?paper=napkin')]).toEqual([
      'A4',
      'A4',
      'LETTER',
      'A4',
    ]);
    expect(read(await makePdf('t', 'f', 'A4', [words('x')])).size).toContain('A4');
    expect(read(await makePdf('t', 'f', 'LETTER', [words('x')])).size).toContain('letter');
  });
});
