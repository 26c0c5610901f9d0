import { findWholeJob } from '../jobs/findJob';
import type { JobParts } from '$contract/jobFile';
import fc from 'fast-check';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { drawingOf } from '$core/drawing';
import { unwrap } from '$core/problem';
import { proveLayout, reportOf } from '$core/proof';
import { clinic } from '$core/test/clinic';
import { stepsOf, drawStripPicture, toMarkdown, type WorkSheet } from '$core/worksheet';
import { change, closeDatabase, database, rows } from '../../store/database/database';
import { createDrawing } from '../drawings/drawings';
import { historyOf } from '../../store/history/history';
import { importJob } from './importJob';
import { exportJob } from './exportJob';
import { JOB_FORMAT, JOB_VERSION, RELEASE, sha256 } from './format';
import { migrate } from '../../store/migrate/migrate';
import { findProofs, saveLayoutProof } from '../sheets/proofs';
import { addTicks, findSheet, listSheets } from '../sheets/sheets';
import { changed, edit } from '../../test/alteredJob';
import { FIRSTLY, tick, withSheet } from '../../test/clinicJob';
import { unpackJob } from './unpack';

beforeAll(async () => {
  await migrate();
});
beforeEach(() => change(database(), 'DELETE FROM jobs'));
afterAll(() => closeDatabase());

describe('a job’s file', () => {
  const packed = async (): Promise<Uint8Array> => {
    const { number, sheet } = await withSheet(true);
    const job = (await findWholeJob(number))!;
    unwrap(await createDrawing(number, 'Mine', [drawingOf(job.answer!.routes[0]!)], 0));
    await addTicks(number, sheet.id, [tick('before-medium', { note: 'tried – “twice” 🥐' })]);
    const after = { ...clinic(), takenAt: '2026-11-22T10:00:00Z' };
    const proof = proveLayout(sheet.document, clinic(), after);
    if (proof.ok) unwrap(await saveLayoutProof(number, job.version, sheet, after, proof.value));
    return (await exportJob(number))!;
  };

  it('brings the whole job to another bench: exported again it is the same', async () => {
    const file = await packed();
    const made = await importJob(file);
    if (!made.ok) throw new Error(made.problems[0]!.message);
    const parts = (from: Uint8Array) => {
      const outcome = unpackJob(from);
      if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
      const read = outcome.value.parts as JobParts;
      const { 'job.json': job, 'history.json': history, 'sheets.json': sheets, ...rest } = read;
      return {
        ...rest,
        job: { ...job, number: 0 },
        history,
        sheets: sheets.map((sheet) => ({ ...sheet, ticks: sheet.ticks.map((one) => ({ ...one, id: '' })) })),
      };
    };
    const [old, now] = [parts(file), parts((await exportJob(made.value.number))!)];
    const told = (history: JobParts['history.json']) =>
      history.map(({ at, who, what }) => ({ at, who, what }));
    expect({ ...now, history: told(now.history).slice(0, -1) }).toEqual({
      ...old,
      history: told(old.history),
    });
    expect(now.history.at(-1)!.what).toBe(
      `Taken over from another bench, where it was job ${(unzippedJob(file) as { number: number }).number}.`,
    );
    const { entries, breach } = await historyOf(made.value.number);
    expect(breach).toBeNull();
    // What another workshop tells is kept, and told to be from there.
    expect(entries.map(({ kind }) => kind)).toEqual([...old.history.map(() => 'elsewhere'), 'here']);
    expect(await listSheets(made.value.number)).toHaveLength(1);
  });

  it('tells what fills the volumes and what of it goes, and is refused where that can’t be', async () => {
    const file = await packed();
    const made = await importJob(file);
    if (!made.ok) throw new Error(made.problems[0]!.message);
    expect((await findWholeJob(made.value.number))!.holdings).toMatchObject({
      found: [{ goes: [{ id: 'earlier-windows' }] }],
      choices: FIRSTLY,
    });
    const spoiled = (change: (part: JobParts['holdings.json'][number]) => void) =>
      importJob(
        changed(file, (parts) =>
          edit('holdings.json', (value: JobParts['holdings.json']) => change(value[0]!))(parts),
        ),
      );
    for (const spoil of [
      (one: JobParts['holdings.json'][number]) => (one.document.volumes[0]!.used += 1e15),
      (one: JobParts['holdings.json'][number]) => (one.choices[0]!.goes = ['hibernation']),
      (one: JobParts['holdings.json'][number]) => (one.survey = 9),
    ]) {
      const outcome = await spoiled(spoil);
      expect(outcome).toMatchObject({ ok: false, problems: [{ path: '/holdings.json/0' }] });
    }
  });

  it('from before there were rehearsals is taken over without any', async () => {
    const older = changed(await packed(), (parts) => {
      delete parts['rehearsals.json'];
      edit('contents.json', (contents: { version: number }) => {
        contents.version = 2;
      })(parts);
    });
    expect((await importJob(older)).ok).toBe(true);
    const cut = changed(await packed(), (parts) => void delete parts['rehearsals.json']);
    expect(await importJob(cut)).toMatchObject({ problems: [{ code: 'missing' }] });
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
          edit('contents.json', (value: { version: number }) => (value.version = JOB_VERSION + 1)),
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
        'wrong',
        changed(
          file,
          edit('job.json', (value: { target: { partition: number } }) => (value.target.partition = 99)),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit('drawings.json', (value: { position: number }[]) => (value[0]!.position = 5)),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit('goals.json', (value: { chosen: number }[]) => (value[0]!.chosen = 400)),
        ),
      ],
      [
        'wrong',
        changed(
          file,
          edit(
            'sheets.json',
            (value: { ticks: { item: string }[] }[]) => (value[0]!.ticks[0]!.item = 'none'),
          ),
        ),
      ],
    ];
    for (const [i, [wanted, one]] of cases.entries()) {
      const outcome = await importJob(one);
      expect([i, outcome.ok ? 'taken' : outcome.problems[0]!.code]).toEqual([i, wanted]);
      expect(outcome.ok ? '' : outcome.problems[0]!.message).toMatch(/[.]$/);
    }
    expect(await count()).toBe(before);
  });

  it('is made again of what it says that it was made of, and refused where it is not the same', async () => {
    const file = await packed();
    const forged: [string, string, (value: never) => void][] = [
      [
        'sheets.json',
        '/document/before/0/script/text',
        (sheets: { document: { before: { script: object | null }[] } }[]) =>
          (sheets[0]!.document.before[0]!.script = { title: 'It only reads.', text: 'Clear-Disk -Number 0' }),
      ],
      [
        'sheets.json',
        '/document/title',
        (sheets: { document: { title: string } }[]) => (sheets[0]!.document.title = 'Extend'),
      ],
      [
        'sheets.json',
        '/document/promise/partitions/0/sectors',
        (sheets: { document: { promise: { partitions: { sectors: number }[] } } }[]) =>
          sheets[0]!.document.promise.partitions[0]!.sectors--,
      ],
      [
        'sheets.json',
        '/document/totals/restarts',
        (sheets: { document: { totals: { restarts: number } } }[]) => sheets[0]!.document.totals.restarts++,
      ],
      [
        'sheets.json',
        '/verdict',
        (sheets: { proofs: { document: { verdict: string; differences: [] } }[] }[]) =>
          (sheets[0]!.proofs[0]!.document = { verdict: 'proved', differences: [], ...same }),
      ],
      [
        'goals.json',
        '/routes/0/totals/bytesCopied',
        (goals: { answer: { routes: { totals: { bytesCopied: number } }[] } }[]) =>
          (goals[0]!.answer.routes[0]!.totals.bytesCopied = 1),
      ],
      ['goals.json', '/largest', (goals: { answer: { largest: number } }[]) => goals[0]!.answer.largest++],
      [
        'goals.json',
        '/routes/0/title',
        (goals: { answer: { routes: { title: string }[] } }[]) =>
          (goals[0]!.answer.routes[0]!.title = 'Nothing happens'),
      ],
    ];
    const same = { same: 1, volumes: [] };
    const changes: string[] = [];
    for (const [part, path, forge] of forged) {
      const before = (unpackPart(file, part) as unknown[]).length;
      expect(before).toBeGreaterThan(0);
      const outcome = await importJob(changed(file, edit(part, forge)));
      changes.push(outcome.ok ? 'taken' : outcome.problems[0]!.code);
      if (!outcome.ok) expect(outcome.problems[0]!.message).toContain(path.split('/').at(-1));
    }
    expect(changes).toEqual(forged.map(() => 'differs'));
    expect(await rows(database(), 'SELECT id FROM jobs')).toHaveLength(1);
  });

  it('of another release is taken with this bench’s own words and scripts, and says so', async () => {
    const file = await packed();
    const older = changed(file, (parts) => {
      edit('contents.json', (value: { release: string }) => (value.release = '0.0.9'))(parts);
      edit('sheets.json', (sheets: { document: WorkSheet }[]) => {
        sheets[0]!.document.title = 'Another title';
        sheets[0]!.document.before[0]!.script = { title: 'x', text: 'Clear-Disk -Number 0' };
      })(parts);
    });
    const outcome = await importJob(older);
    if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
    const { number } = outcome.value;
    const own = unwrap(unpackJob(file)).parts as unknown as JobParts;
    expect((await findSheet(number))!.document).toEqual(own['sheets.json'][0]!.document);
    expect((await historyOf(number)).entries.at(-1)!.what).toMatch(
      /release 0\.0\.9: 1 of its plans and sheets/,
    );
  });

  it('is refused in a sentence or can be shown, whatever stands in whichever place of it', async () => {
    const { parts } = unwrap(unpackJob(await packed()));
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
        const outcome = await importJob(zipped(other));
        if (!outcome.ok) {
          refused++;
          expect(outcome.problems[0]!.message).toMatch(/[.]$/);
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

/** Parts as a file whose list of contents is honest. */
function zipped(parts: Record<string, unknown>): Uint8Array {
  const files = Object.fromEntries(
    Object.entries(parts).map(([name, part]) => [name, strToU8(JSON.stringify(part))]),
  );
  const hashes = Object.fromEntries(Object.entries(files).map(([name, bytes]) => [name, sha256(bytes)]));
  const contents = {
    format: JOB_FORMAT,
    version: JOB_VERSION,
    release: RELEASE,
    exportedAt: '',
    parts: hashes,
  };
  return zipSync({ 'contents.json': strToU8(JSON.stringify(contents)), ...files });
}

const unpackPart = (file: Uint8Array, part: string): unknown =>
  JSON.parse(new TextDecoder().decode(unzipSync(file)[part]));
const unzippedJob = (file: Uint8Array): unknown => unpackPart(file, 'job.json');

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
  const job = (await findWholeJob(number))!;
  await historyOf(number);
  for (const { id } of await listSheets(number)) {
    const sheet = (await findSheet(number, id))!;
    const head = { job: number, customer: job.customer, machine: job.machine };
    toMarkdown(sheet.document, { ...head, address: '', made: '', rehearsed: sheet.rehearsed, despite: null });
    for (const pieces of [sheet.document.asFound, ...stepsOf(sheet.document).map((step) => step.see.pieces)])
      drawStripPicture(pieces, sheet.document.disk.sectorSize, null);
    const { layout, files } = await findProofs(id);
    if (layout) {
      const proofs = { layout: layout.proof, files: files?.proof ?? null };
      reportOf({ ...head, sheet: sheet.document, ticks: sheet.ticks, ...proofs, date: '2026-11-26' });
    }
  }
  expect((await exportJob(number))!.length).toBeGreaterThan(0);
}
