import fc from 'fast-check';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { drawingOf } from '$core/drawing';
import { certain, type Outcome } from '$core/problem';
import { proveLayout, reportOf } from '$core/proof';
import { clinic } from '$core/test/clinic';
import { stepsOf, stripPicture, toMarkdown } from '$core/worksheet';
import { change, closeDatabase, database, rows } from './database';
import { createDrawing } from './drawings';
import { firstBroken, historyOf } from './history';
import { importJob } from './importJob';
import { exportJob, sha256 } from './jobFile';
import type { JobParts } from './jobParts';
import { findJob } from './jobs';
import { migrate } from './migrate';
import { findProofs, saveLayoutProof } from './proofs';
import { addTicks, findSheet, listSheets } from './sheets';
import { tick, withSheet } from './test/clinicJob';
import { unpackJob } from './unpack';

beforeAll(async () => {
  await migrate();
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(() => closeDatabase());

describe('a job’s file', () => {
  const packed = async (): Promise<Uint8Array> => {
    const { number, sheet } = await withSheet();
    const job = (await findJob(number))!;
    await createDrawing(number, 'Mine', [drawingOf(job.answer!.routes[0]!)], 0);
    await addTicks(number, sheet.id, [tick('before-medium', { note: 'tried – “twice” 🥐' })]);
    const after = { ...clinic(), takenAt: '2026-11-22T10:00:00Z' };
    const proof = proveLayout(sheet.document, clinic(), after);
    if (proof.ok) await saveLayoutProof(number, job.version, sheet, after, proof.value);
    return (await exportJob(number))!;
  };
  /** The file with its parts changed; the list of contents follows where `honest`. */
  const changed = (
    file: Uint8Array,
    change: (parts: Record<string, Uint8Array>) => void,
    honest = true,
  ): Uint8Array => {
    const parts = unzipSync(file);
    change(parts);
    if (honest) {
      const contents = JSON.parse(new TextDecoder().decode(parts['contents.json'])) as {
        parts: Record<string, string>;
      };
      contents.parts = Object.fromEntries(
        Object.keys(contents.parts).flatMap((name) => (parts[name] ? [[name, sha256(parts[name])]] : [])),
      );
      parts['contents.json'] = strToU8(JSON.stringify(contents));
    }
    return zipSync(parts);
  };
  const edit = (name: string, work: (value: never) => void) => (parts: Record<string, Uint8Array>) => {
    const value = JSON.parse(new TextDecoder().decode(parts[name])) as never;
    work(value);
    parts[name] = strToU8(JSON.stringify(value));
  };
  const taken = async (file: Uint8Array): Promise<Outcome<{ number: number }>> => {
    const parts = unpackJob(file);
    return parts.ok ? importJob(parts.value) : parts;
  };

  it('brings the whole job to another bench: exported again it is the same', async () => {
    const file = await packed();
    const made = await taken(file);
    if (!made.ok) throw new Error(made.problems[0]!.message);
    const parts = (from: Uint8Array) => {
      const outcome = unpackJob(from);
      if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
      const read = outcome.value as JobParts;
      const { 'job.json': job, 'history.json': history, 'sheets.json': sheets, ...rest } = read;
      return {
        ...rest,
        job: { ...job, number: 0 },
        history,
        sheets: sheets.map((sheet) => ({ ...sheet, ticks: sheet.ticks.map((one) => ({ ...one, id: '' })) })),
      };
    };
    const [old, now] = [parts(file), parts((await exportJob(made.value.number))!)];
    expect({ ...now, history: now.history.slice(0, -1) }).toEqual(old);
    expect(now.history.at(-1)!.what).toMatch(/Taken over from another bench/);
    expect(firstBroken(await historyOf(made.value.number))).toBeNull();
    expect(await listSheets(made.value.number)).toHaveLength(1);
  });

  it('is refused with the reason, and nothing of it is kept', async () => {
    const file = await packed();
    const count = async () => (await rows(database(), 'SELECT id FROM jobs')).length;
    const before = await count();
    const bomb = zipSync({
      'contents.json': strToU8('{}'),
      'surveys.json': new Uint8Array(140 * 1024 * 1024),
    });
    expect(bomb.length).toBeLessThan(1024 * 1024);
    const cases: [string, Uint8Array][] = [
      ['not-a-zip', strToU8('hello')],
      ['not-a-zip', file.slice(0, file.length / 3)],
      ['not-a-job', zipSync({ 'readme.txt': strToU8('hello') })],
      ['bomb', bomb],
      [
        'newer',
        changed(
          file,
          edit('contents.json', (value: { version: number }) => (value.version = 2)),
          false,
        ),
      ],
      ['missing', changed(file, (parts) => delete parts['sheets.json'])],
      ['missing', changed(file, (parts) => delete parts['sheets.json'], false)],
      [
        'altered',
        changed(
          file,
          edit('job.json', (value: { customer: string }) => (value.customer = 'X')),
          false,
        ),
      ],
      ['strange', changed(file, (parts) => (parts['run.ps1'] = strToU8('x')))],
      [
        'wrong',
        changed(
          file,
          edit('job.json', (value: { due: string }) => (value.due = 'soon')),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit(
            'surveys.json',
            (value: { document: { version: number } }[]) => (value[0]!.document.version = 9),
          ),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit('goals.json', (value: { survey: number }[]) => (value[0]!.survey = 7)),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit('sheets.json', (value: { document: { runs: unknown } }[]) => (value[0]!.document.runs = [{}])),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit('sheets.json', (value: { document: { asFound: { role: string }[] } }[]) => {
            value[0]!.document.asFound[0]!.role = 'pirate';
          }),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit('sheets.json', (value: { proofs: { document: object }[] }[]) => {
            value[0]!.proofs[0]!.document = { verdict: 'proved' };
          }),
        ),
      ],
      [
        'history',
        changed(
          file,
          edit('history.json', (value: { what: string }[]) => (value[1]!.what = 'nothing')),
        ),
      ],
    ];
    for (const [i, [wanted, one]] of cases.entries()) {
      const outcome = await taken(one);
      expect([i, outcome.ok ? 'taken' : outcome.problems[0]!.code]).toEqual([i, wanted]);
      expect(outcome.ok ? '' : outcome.problems[0]!.message).toMatch(/[.]$/);
    }
    expect(await count()).toBe(before);
  });

  it('is refused in a sentence or can be shown, whatever stands in whichever place of it', async () => {
    const parts = certain(unpackJob(await packed())) as Record<string, unknown>;
    const places = leaves(parts);
    expect(places.length).toBeGreaterThan(1000);
    const odd = fc.constantFrom<unknown>(
      null,
      -1,
      0,
      1.5,
      1e300,
      '',
      'x'.repeat(5000),
      [],
      {},
      [[]],
      true,
      '2026',
    );
    let refused = 0;
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...places), odd, async (path, value) => {
        const other = structuredClone(parts);
        put(other, path, value);
        const outcome = await importJob(other);
        if (!outcome.ok) {
          refused++;
          expect(outcome.problems[0]!.message).toMatch(/Nothing was taken over[.]$/);
          return;
        }
        await showAll(outcome.value.number);
      }),
      { numRuns: 150 },
    );
    expect(refused).toBeGreaterThan(50);
    expect((await rows(database(), 'SELECT id FROM jobs')).length).toBe(1 + 150 - refused);
  });
});

/** Every place of a document, the insides of lists and objects among them. */
function leaves(value: unknown, path: readonly string[] = []): string[][] {
  if (typeof value !== 'object' || value === null) return [[...path]];
  return [
    [...path],
    ...Object.entries(value).flatMap(([key, inside]) => leaves(inside, [...path, key])),
  ].filter((one) => one.length > 0);
}

function put(document: Record<string, unknown>, path: readonly string[], value: unknown): void {
  const holder = path
    .slice(0, -1)
    .reduce<Record<string, unknown>>((inside, key) => inside[key] as Record<string, unknown>, document);
  holder[path.at(-1)!] = value;
}

/** Everything that screens and papers make of a job. */
async function showAll(number: number): Promise<void> {
  const job = (await findJob(number))!;
  await historyOf(number);
  for (const { id } of await listSheets(number)) {
    const sheet = (await findSheet(number, id))!;
    const head = { job: number, customer: job.customer, machine: job.machine };
    toMarkdown(sheet.document, { ...head, address: '', made: '' });
    for (const pieces of [sheet.document.asFound, ...stepsOf(sheet.document).map((step) => step.see.pieces)])
      stripPicture(pieces, sheet.document.disk.sectorSize, null);
    const { layout, files } = await findProofs(id);
    if (layout) {
      const proofs = { layout: layout.proof, files: files?.proof ?? null };
      reportOf({ ...head, sheet: sheet.document, ticks: sheet.ticks, ...proofs, date: '2026-11-26' });
    }
  }
  expect((await exportJob(number))!.length).toBeGreaterThan(0);
}
