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

/** What the QR codes on its first page say, as zbar reads them from the picture that poppler makes of it. */
export function codesIn(pdf: Buffer): string[] {
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-'));
  const file = join(folder, 'out.pdf');
  writeFileSync(file, pdf);
  execFileSync('pdftoppm', ['-png', '-r', '200', '-singlefile', file, join(folder, 'page')]);
  const said = execFileSync('zbarimg', ['--quiet', '--raw', join(folder, 'page.png')], { encoding: 'utf8' });
  return said.split('\n').filter((line) => line !== '');
}
