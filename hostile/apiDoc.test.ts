import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';

const base = process.env['SERVER_URL']!;
const folder = resolve('.local/api-doc');
mkdirSync(folder, { recursive: true });
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const blockOf = (language: string): string =>
  new RegExp(`\`\`\`${language}\\n([\\s\\S]*?)\`\`\``).exec(readFileSync('docs/api.md', 'utf8'))![1]!;
const isPdf = (bytes: Uint8Array): boolean => Buffer.from(bytes.subarray(0, 5)).toString() === '%PDF-';

describe('what docs/api.md shows', () => {
  it('leads from a survey to its work sheet, with curl', () => {
    execFileSync('bash', ['-euo', 'pipefail', '-c', blockOf('bash')], {
      env: { ...process.env, SERVER: base, OUT: folder },
      stdio: 'pipe',
    });
    expect(isPdf(readFileSync(`${folder}/work-sheet.pdf`))).toBe(true);
  });

  it('leads there with the typed client', async () => {
    const program = `${folder}/client.ts`;
    writeFileSync(program, blockOf('ts').replaceAll('./src/', '../../src/'));
    process.env['SERVER'] = base;
    const { pdf } = (await import(program)) as { pdf: ArrayBuffer };
    expect(isPdf(new Uint8Array(pdf))).toBe(true);
  });
});
