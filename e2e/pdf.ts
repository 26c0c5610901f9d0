import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** The text of a PDF, as Debian's pdftotext reads it. */
export function textOf(pdf: Buffer): string {
  const file = join(mkdtempSync(join(tmpdir(), 'gentle-tide-')), 'out.pdf');
  writeFileSync(file, pdf);
  return execFileSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' });
}
