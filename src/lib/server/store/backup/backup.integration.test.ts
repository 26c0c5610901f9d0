import { unwrap } from '$core/problem';
import { createJob, saveDetails } from '../../work/jobs/changeJob';
import { findWholeJob } from '../../work/jobs/findJob';
import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, readdirSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { gunzipSync, gzipSync } from 'node:zlib';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { makeFreshFolder } from '$core/executor/test/mounted';
import { shareOf, WHOLE } from '$core/test/evidence';
import { itemsOf } from '$core/worksheet';
import { change, closeDatabase, database, rows } from '../database/database';
import { historyOf } from '../history/history';
import { dumpBeforeMigration, migrate } from '../migrate/migrate';
import { config, forgetConfig } from '../../platform/settings/config';
import { addTicks } from '../../work/sheets/sheets';
import { tick, withSheet } from '../../test/clinicJob';
import { isPartName, partOf, placesOf, type BackupManifest } from './archive';
import { makeBackup, type From } from './backup';
import { dumpInto, loadDump } from './dump';
import { findNewestMigration } from './inspect';
import { markOf, setMark } from './mark';
import { goBack, restoreBackup } from './restore';
import { withConnection, emptied, tablesOf } from './scratch';

const url = process.env['MIGRATION_URL'] ?? process.env['DATABASE_URL'] ?? '';
const folder = makeFreshFolder('backup');
const told: string[] = [];
const from = (): From => ({ config: config(), url, tell: (words) => told.push(words) });
const details = (notes: string) => ({ customer: 'Salt Pan Library', machine: 'catalogue', notes, due: null });

beforeAll(async () => {
  process.env['GENTLE_TIDE_DATA'] = join(folder, 'data');
  process.env['GENTLE_TIDE_SCRATCH'] = 'unit_scratch';
  forgetConfig();
  await migrate();
});
afterAll(async () => {
  delete process.env['GENTLE_TIDE_DATA'];
  delete process.env['GENTLE_TIDE_SCRATCH'];
  forgetConfig();
  await closeDatabase();
});
let number = 0;
const fresh = (): string => join(folder, `${++number}.gtb`);
beforeEach(() => void (told.length = 0));

/** Everything that a database holds, table by table; who is in it is told by rows, not by dumps. */
async function contents(of = url): Promise<string> {
  const tables = await tablesOf(of);
  return withConnection(of, async (connection) => {
    const all: unknown[] = [];
    for (const table of tables) {
      const [found] = await connection.query(`SELECT * FROM \`${table}\` ORDER BY 1, 2`);
      all.push([table, found]);
    }
    return JSON.stringify(all);
  });
}

describe('a backup', () => {
  it('brings everything back as it was: rows, triggers, key, authority and images', async () => {
    const { number: job } = await withSheet();
    mkdirSync(config().images, { recursive: true });
    writeFileSync(join(config().images, 'booking desk, äö&.img'), Buffer.alloc(300_000, 7));
    writeFileSync(join(config().images, 'half.img.part'), 'half');
    symlinkSync('/etc/passwd', join(config().images, 'link.img'));
    mkdirSync(join(config().data, 'tls'), { recursive: true });
    writeFileSync(join(config().data, 'tls/root.json'), '{"certificate":"c","key":"k"}', { mode: 0o600 });
    const before = await contents();
    const key = readFileSync(config().keyFile);
    const path = fresh();
    const manifest = await makeBackup(path, from());
    expect(manifest.parts.map(({ name }) => name)).toEqual([
      'database.sql.gz',
      'bench-key.json',
      'tls/root.json',
      'images/booking desk, äö&.img',
    ]);
    expect(manifest.rows['jobs']).toBe((await rows(database(), 'SELECT id FROM jobs')).length);
    expect(statSync(path).mode & 0o077).toBe(0);
    // GNU tar alone tells what is in it; and no dump says who made a trigger.
    expect(
      execFileSync('tar', ['-tf', path, '--quoting-style=literal'], { encoding: 'utf8' }).split('\n'),
    ).toContain('images/booking desk, äö&.img');
    expect(gunzipSync(execFileSync('tar', ['-xOf', path, 'database.sql.gz'])).toString()).not.toMatch(
      /DEFINER/,
    );

    unwrap(await saveDetails(job, (await findWholeJob(job))!.version, details('written after the backup')));
    writeFileSync(join(config().images, 'booking desk, äö&.img'), 'something else');
    writeFileSync(config().keyFile, JSON.stringify({ key: 'f'.repeat(64), adopted: [] }));
    const { before: dump, aside } = await restoreBackup(path, from());
    expect(await contents()).toBe(before);
    expect(readFileSync(config().keyFile)).toEqual(key);
    expect(readFileSync(join(config().images, 'booking desk, äö&.img'))).toEqual(Buffer.alloc(300_000, 7));
    // What was there is put aside, and the dump of it has what came after.
    expect(aside.length).toBe(2);
    expect(gunzipSync(readFileSync(dump!)).toString()).toContain('written after the backup');
    expect((await historyOf(job)).breach).toBeNull();
    await expect(change(database(), "UPDATE history SET what = 'x'")).rejects.toThrow(
      /history is not changed/,
    );
  });

  it('taken under load has every save that was acknowledged before it began, and is whole', async () => {
    const jobs = await Promise.all(
      Array.from({ length: 4 }, (_, i) => createJob('Salt Pan Library', `load ${i}`)),
    );
    const { number: sheeted, sheet } = await withSheet();
    /** What was acknowledged, by job, in the order of its versions. */
    const acknowledged = new Map<number, number>();
    let going = true;
    let ticks = 0;
    const load = [
      ...jobs.map(async (job) => {
        for (let version = 1; going;) {
          version = unwrap(await saveDetails(job, version, details(`note ${version}`)));
          acknowledged.set(job, version);
        }
      }),
      (async () => {
        for (const { id } of itemsOf(sheet.document)) {
          if (!going) break;
          await addTicks(sheeted, sheet.id, [tick(id)]);
          ticks++;
        }
      })(),
    ];
    while (jobs.some((job) => (acknowledged.get(job) ?? 0) < 3))
      await new Promise((done) => setTimeout(done, 20));
    const [beforeSaves, beforeTicks] = [new Map(acknowledged), ticks];
    const path = fresh();
    await makeBackup(path, from());
    const after = new Map(acknowledged);
    going = false;
    await Promise.all(load);
    expect(jobs.some((job) => after.get(job)! > beforeSaves.get(job)!)).toBe(true);

    await restoreBackup(path, from());
    for (const job of jobs) {
      const version = (await findWholeJob(job))!.version;
      expect(version).toBeGreaterThanOrEqual(beforeSaves.get(job)!);
      // One instant: as many entries of its history as saves.
      const { entries, breach } = await historyOf(job);
      expect([entries.length, breach]).toEqual([version, null]);
    }
    const [kept] = await rows<{ n: number }>(
      database(),
      'SELECT COUNT(*) AS n FROM ticks WHERE sheet_id = ?',
      [sheet.id],
    );
    expect(kept!.n).toBeGreaterThanOrEqual(beforeTicks);
  });

  it('is not made where it can’t be, and leaves nothing behind', async () => {
    await expect(makeBackup('/dev/null/none/x.gtb', from())).rejects.toThrow(/Nothing can be written beside/);
    const wrong = { ...from(), url: url.replace(/:[^:@/]+@/, ':wrong@') };
    await expect(makeBackup(fresh(), wrong)).rejects.toThrow(/Access denied/);
    const closed = { ...config(), scratchUrl: null, scratchDatabase: 'mysql' };
    await expect(makeBackup(fresh(), { ...from(), config: closed })).rejects.toThrow(
      /scratch database can’t be used.*GRANT ALL/,
    );
    const stopped = new AbortController();
    stopped.abort();
    await expect(makeBackup(fresh(), { ...from(), signal: stopped.signal })).rejects.toThrow();
    expect(
      readdirSync(folder).filter((name) => name.endsWith('.part') || name.startsWith('.staging')),
    ).toEqual([]);
    expect(await tablesOf(url.replace(/\/[^/]+$/, '/unit_scratch'))).toEqual([]);
  });

  it.skipIf(process.getuid?.() !== 0)('leaves no half of one on a disk that is full', async () => {
    const small = makeFreshFolder('full');
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=300m', 'tmpfs', small]);
    try {
      writeFileSync(join(config().images, 'large.img'), Buffer.alloc(80 * 2 ** 20, 1));
      await expect(makeBackup(join(small, 'x.gtb'), from())).rejects.toThrow(/There is no room for a backup/);
      expect(readdirSync(small)).toEqual([]);
    } finally {
      rmSync(join(config().images, 'large.img'));
      execFileSync('umount', ['--lazy', small]);
    }
  });
});

describe('what is no backup of ours', () => {
  const tar = (path: string, ...args: string[]) =>
    execFileSync('tar', ['-cf', path, ...args], { stdio: 'pipe' });
  const odd = makeFreshFolder('odd');

  it('is refused before anything of it is unpacked, and nothing is changed', async () => {
    const good = fresh();
    await makeBackup(good, from());
    const before = await contents();
    const files = join(odd, 'files');
    mkdirSync(files, { recursive: true });
    execFileSync('tar', ['-xf', good, '-C', files]);
    const refused = async (name: string, make: (path: string) => void, sentence: RegExp) => {
      const path = join(odd, `${name}.gtb`);
      make(path);
      await expect(restoreBackup(path, from()), name).rejects.toThrow(sentence);
    };
    const listed = execFileSync('tar', ['-tf', good, '--quoting-style=literal'], { encoding: 'utf8' });
    const all = listed.split('\n').filter((name) => name !== '' && name !== 'manifest.json');
    await refused(
      'text',
      (path) => writeFileSync(path, 'no tar'),
      /can’t be read as a backup|manifest is missing/,
    );
    await refused(
      'cut',
      (path) => writeFileSync(path, readFileSync(good).subarray(0, 20_000)),
      /can’t be read|manifest is missing/,
    );
    await refused('unlisted', (path) => tar(path, '-C', files, ...all), /manifest is missing/);
    await refused(
      'elsewhere',
      (path) => tar(path, '-P', '--transform=s,^,../../,', '-C', files, 'bench-key.json'),
      /which no backup does/,
    );
    await refused('absolute', (path) => tar(path, '-P', '/etc/hostname'), /which no backup does/);
    await refused(
      'twice',
      (path) => tar(path, '-C', files, ...all, 'bench-key.json', 'manifest.json'),
      /holds a part twice/,
    );
    rmSync(join(files, 'bench-key.json'));
    symlinkSync('/etc/passwd', join(files, 'bench-key.json'));
    await refused('link', (path) => tar(path, '-C', files, ...all, 'manifest.json'), /is no plain file/);
    rmSync(join(files, 'bench-key.json'));
    const manifest = readFileSync(join(files, 'manifest.json'), 'utf8');
    const { bytes } = (JSON.parse(manifest) as BackupManifest).parts.find(
      ({ name }) => name === 'bench-key.json',
    )!;
    writeFileSync(join(files, 'bench-key.json'), 'x'.repeat(bytes));
    await refused('changed', (path) => tar(path, '-C', files, ...all, 'manifest.json'), /is not as it was/);
    writeFileSync(join(files, 'bench-key.json'), 'x'.repeat(bytes + 1));
    await refused('longer', (path) => tar(path, '-C', files, ...all, 'manifest.json'), /does not hold what/);
    rmSync(join(files, 'manifest.json'));
    execFileSync('mkfifo', [join(files, 'manifest.json')]);
    await refused('pipe', (path) => tar(path, '-C', files, ...all, 'manifest.json'), /is no plain file/);
    rmSync(join(files, 'manifest.json'));
    execFileSync('truncate', ['--size', '4T', join(files, 'bench-key.json')]);
    const endless = JSON.parse(manifest) as BackupManifest;
    endless.parts.find(({ name }) => name === 'bench-key.json')!.bytes = 2 ** 42;
    for (const [name, text, sentence] of [
      ['holes', manifest, /does not hold what its manifest names/],
      [
        'holes, told',
        JSON.stringify(endless),
        /no seal of this bench.*4,096 GiB|no seal of this bench.*Nothing was unpacked/,
      ],
    ] as const) {
      writeFileSync(join(files, 'manifest.json'), text);
      await refused(name, (path) => tar(path, '--sparse', '-C', files, ...all, 'manifest.json'), sentence);
    }
    writeFileSync(join(files, 'bench-key.json'), '');
    writeFileSync(join(files, 'manifest.json'), '{"kind":"something else"}');
    await refused(
      'foreign',
      (path) => tar(path, '-C', files, ...all, 'manifest.json'),
      /manifest of .* can’t be read/,
    );
    expect(await contents()).toBe(before);
    expect(readdirSync(config().data).filter((name) => name.startsWith('.staging'))).toEqual([]);
  });

  /**
   * A backup with something else in it, and every size and hash made anew; what it can't have is this workshop's seal.
   */
  async function altered(change: (files: string) => void): Promise<string> {
    const [good, bad] = [fresh(), fresh()];
    await makeBackup(good, from());
    const files = makeFreshFolder('altered');
    execFileSync('tar', ['-xf', good, '-C', files]);
    change(files);
    const manifest = JSON.parse(readFileSync(join(files, 'manifest.json'), 'utf8')) as BackupManifest;
    const parts = await Promise.all(manifest.parts.map(({ name }) => partOf(join(files, name), name)));
    writeFileSync(join(files, 'manifest.json'), JSON.stringify({ ...manifest, parts }));
    tar(bad, '-C', files, ...parts.map(({ name }) => name), 'manifest.json');
    rmSync(files, { recursive: true });
    return bad;
  }
  const withSql = (sql: string) =>
    altered((files) => {
      const dump = join(files, 'database.sql.gz');
      writeFileSync(dump, gzipSync(`${gunzipSync(readFileSync(dump)).toString()}\n${sql}\n`));
    });
  const trusting = () => Promise.resolve(true);

  it('or was altered, with every hash made anew, asks for the word of an owner', async () => {
    const number = await createJob('Salt Pan Library', 'sealed');
    const path = await withSql("UPDATE jobs SET customer = 'somebody else';");
    const before = await contents();
    const asked: string[] = [];
    const refusing = (why: string) => Promise.resolve(asked.push(why) < 0);
    await expect(restoreBackup(path, from(), refusing)).rejects.toThrow(/no seal of this bench/);
    expect([asked.length, await contents()]).toEqual([1, before]);
    const own = fresh();
    await makeBackup(own, from());
    // One that is as this workshop made it asks nobody; with the word of an owner the altered one is taken.
    await restoreBackup(own, from(), refusing);
    expect(asked.length).toBe(1);
    await restoreBackup(path, from(), trusting);
    expect((await findWholeJob(number))!.customer).toBe('somebody else');
    await restoreBackup(own, from());
    expect(await contents()).toBe(before);
  });

  it('changes nothing outside the scratch database, whoever trusts it', async () => {
    const name = new URL(url).pathname.slice(1);
    const before = await contents();
    const harmful = [
      [`UPDATE ${name}.jobs SET customer = 'somebody else';`, /denied/],
      [`DROP TABLE ${name}.ticks;`, /denied/],
      ['CREATE DATABASE theirs;', /denied/],
      [`CREATE TRIGGER spy AFTER INSERT ON jobs FOR EACH ROW DELETE FROM ticks;`, /has a trigger spy/],
      ['CREATE VIEW spy AS SELECT * FROM people;', /has a view spy/],
      ['CREATE PROCEDURE spy() DELETE FROM ticks;', /has a routine spy/],
    ] as const;
    for (const [sql, sentence] of shareOf(harmful, 2))
      await expect(restoreBackup(await withSql(sql), from(), trusting), sql).rejects.toThrow(sentence);
    expect(await contents()).toBe(before);
    // An account that sees more is not used for it.
    const open = { ...from(), config: { ...config(), scratchUrl: null } };
    await expect(restoreBackup(await withSql('SELECT 1;'), open, trusting)).rejects.toThrow(
      /sees more than the scratch database.*SCRATCH_URL/,
    );
  });

  it('has only names that lead to their own place', () => {
    const place = placesOf({ keyFile: '/d/key', data: '/d', images: '/d/images' });
    for (const name of [
      'images/../x',
      'images/a/b',
      'images/',
      'images/..',
      'tls/../../x',
      'tls/x',
      '../x',
      '/etc/passwd',
      'images/\n',
    ])
      expect(isPartName(name), JSON.stringify(name)).toBe(false);
    for (const name of ['images/a.img', 'images/a.img.journal', 'tls/root.json', 'bench-key.json'])
      expect(place(name).startsWith('/d/')).toBe(true);
  });
});

describe('a restore that is killed', () => {
  /** Restores in a process of its own, which is killed so many milliseconds after it began to change the database. */
  async function killed(path: string, after: number): Promise<boolean> {
    const script = `
      const { config, restoreBackup } = await import(${JSON.stringify(resolve('build/backup.mjs'))});
      await restoreBackup(${JSON.stringify(path)}, { config: config(), url: ${JSON.stringify(url)}, tell: (words) => console.log(words) });`;
    const child = spawn(process.execPath, ['--input-type=module', '-e', script], {
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    child.stdout.on('data', (text: Buffer) => {
      if (text.includes('The database is restored')) setTimeout(() => child.kill('SIGKILL'), after);
    });
    const [, signal] = (await once(child, 'exit')) as [number | null, string | null];
    return signal === 'SIGKILL';
  }

  it('is gone back from with its files, wherever its backup is by now', async () => {
    const before = join(folder, 'before.sql.gz');
    await dumpInto(before, url);
    const now = await contents();
    const image = join(config().images, 'shelf.img');
    const stamp = '2026-12-01T10-00-00';
    mkdirSync(config().images, { recursive: true });
    writeFileSync(image, 'of the backup');
    writeFileSync(`${image}.before-${stamp}`, 'of before');
    await setMark(url, { backup: '/no/where.gtb', before, stamp });
    expect((await goBack(from()))?.stamp).toBe(stamp);
    expect([await contents(), await markOf(url)]).toEqual([now, null]);
    expect(readFileSync(image, 'utf8')).toBe('of before');
    expect(await goBack(from())).toBeNull();
    rmSync(image);
  });

  it('keeps what it put aside first, also where another backup is restored after it', async () => {
    const image = join(config().images, 'shelf.img');
    const stamp = '2026-12-01T11-00-00';
    mkdirSync(config().images, { recursive: true });
    writeFileSync(image, 'of another backup');
    const path = fresh();
    await makeBackup(path, from());
    writeFileSync(image, 'of the first backup');
    writeFileSync(`${image}.before-${stamp}`, 'of before');
    await setMark(url, { backup: '/no/where.gtb', before: null, stamp });
    await restoreBackup(path, from());
    expect(readFileSync(image, 'utf8')).toBe('of another backup');
    expect(readFileSync(`${image}.before-${stamp}`, 'utf8')).toBe('of before');
    for (const one of [image, `${image}.before-${stamp}`]) rmSync(one);
  });

  it('leaves a database that no server works with, until it is gone on with or back from', async () => {
    const number = await createJob('Salt Pan Library', 'before the backup');
    const path = fresh();
    await makeBackup(path, from());
    const then = await contentsIn(path);
    let cut = 0;
    for (const after of shareOf([0, 5, 20, 60, 120, 30], 2)) {
      unwrap(
        await saveDetails(
          number,
          (await findWholeJob(number))!.version,
          details(`after the backup, ${after}`),
        ),
      );
      const now = await contents();
      if (!(await killed(path, after)) || !(await markOf(url))) continue;
      cut++;
      await expect(migrate()).rejects.toThrow(/was cut short.*\.\/restore .*\.\/restore --back/s);
      await expect(makeBackup(fresh(), from())).rejects.toThrow(/was cut short/);
      if (cut % 2 === 1) await goBack(from());
      else await restoreBackup(path, from());
      expect((await contents()) === (cut % 2 === 1 ? now : then)).toBe(true);
      await migrate();
    }
    expect(cut).toBeGreaterThan(WHOLE ? 1 : 0);
    // Folders with keys, of processes that are no more, go with the next one.
    expect(readdirSync(config().data).filter((name) => name.startsWith('.staging'))).toEqual([]);

    async function contentsIn(backup: string): Promise<string> {
      const dump = join(folder, 'then.sql.gz');
      writeFileSync(dump, execFileSync('tar', ['-xOf', backup, 'database.sql.gz']));
      const scratch = process.env['SCRATCH_URL']!;
      await loadDump(dump, scratch);
      const found = await contents(scratch);
      await emptied(scratch);
      return found;
    }
  });
});

describe('a migration', () => {
  it('is refused where the database is newer than the program', async () => {
    const has = findNewestMigration() + 3;
    await change(database(), 'INSERT INTO schema_version (version, name) VALUES (?, ?)', [
      has,
      'from-the-future',
    ]).catch(() => undefined);
    try {
      await expect(migrate()).rejects.toThrow(
        new RegExp(`at migration ${has}, and this program knows ${findNewestMigration()} only`),
      );
    } finally {
      await withConnection(url, (connection) =>
        connection.query('DELETE FROM schema_version WHERE version = ?', [has]),
      );
    }
  });

  it('is begun after a dump of what is there, and not where there can be none', async () => {
    const scratch = url.replace(/\/[^/]+$/, '/unit_scratch');
    await emptied(scratch);
    const [own, theirs] = [process.env['DATABASE_URL'], process.env['MIGRATION_URL']];
    await closeDatabase();
    process.env['DATABASE_URL'] = process.env['MIGRATION_URL'] = scratch;
    forgetConfig();
    try {
      await migrate();
      await withConnection(scratch, (connection) =>
        connection.query('DELETE FROM schema_version WHERE version > 9'),
      );
      await expect(migrate({ before: () => Promise.reject(new Error('no room')) })).rejects.toThrow(
        'no room',
      );
      await migrate({ before: dumpBeforeMigration });
      const dumps = readdirSync(config().backups).filter((name) => name.startsWith('before-migration-9-to-'));
      expect(dumps.length).toBe(1);
      expect(gunzipSync(readFileSync(join(config().backups, dumps[0]!))).toString()).toMatch(
        /CREATE TABLE `jobs`/,
      );
      // Nothing is to be migrated any more, and nothing is dumped.
      await migrate({ before: () => Promise.reject(new Error('a dump')) });
    } finally {
      await closeDatabase();
      if (own !== undefined) process.env['DATABASE_URL'] = own;
      if (theirs !== undefined) process.env['MIGRATION_URL'] = theirs;
      forgetConfig();
      await emptied(scratch);
    }
  });
});
