import { share } from '$core/test/evidence';
import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import mysql from 'mysql2/promise';
import { build } from 'vite';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readConnectionOptions } from '../database/database';

// On a database of its own beside that of the other tests, ended in the middle as a server is: by killing its process.
const CUTS = share(20, 5);
const keeper = new URL(process.env['MIGRATION_URL'] ?? process.env['DATABASE_URL'] ?? '');
const name = `${keeper.pathname.slice(1)}_cut`;
const url = Object.assign(new URL(keeper), { pathname: `/${name}` }).toString();
const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-migrate-'));
const script = join(folder, 'run.mjs');
let db: mysql.Connection;

beforeAll(async () => {
  await build({
    configFile: false,
    logLevel: 'error',
    publicDir: false,
    resolve: {
      alias: {
        $contract: join(process.cwd(), 'src/lib/contract'),
        $core: join(process.cwd(), 'src/lib/core'),
      },
    },
    ssr: { noExternal: true },
    build: {
      ssr: 'src/lib/server/store/migrate/migrate.ts',
      outDir: folder,
      rollupOptions: { output: { entryFileNames: 'migrate.mjs', codeSplitting: false } },
    },
  });
  writeFileSync(
    script,
    "import { migrate } from './migrate.mjs';\nconsole.log('begins');\nawait migrate();\nprocess.exit();\n",
  );
  db = await mysql.createConnection({ ...readConnectionOptions(url), multipleStatements: true });
});
afterAll(async () => {
  await db.end();
  rmSync(folder, { recursive: true });
});

const empty = async (): Promise<void> => {
  await db.query(
    `DROP DATABASE IF EXISTS ${name}; CREATE DATABASE ${name} CHARACTER SET utf8mb4; USE ${name}`,
  );
};

/** Every table and trigger as the database would make it again. */
async function schema(): Promise<string[]> {
  const [tables] = await db.query<mysql.RowDataPacket[]>('SHOW TABLES');
  const texts: string[] = [];
  for (const row of tables) {
    const [[made]] = await db.query<mysql.RowDataPacket[]>(
      `SHOW CREATE TABLE ${String(Object.values(row)[0])}`,
    );
    texts.push(String(made!['Create Table']).replace(/ AUTO_INCREMENT=\d+/, ''));
  }
  const [triggers] = await db.query<mysql.RowDataPacket[]>('SHOW TRIGGERS');
  return [...texts, ...triggers.map((one) => `${one['Trigger']} ${one['Statement']}`)].sort();
}

/**
 * Runs the migration in a process, and kills it so many milliseconds after it began. @returns whether it ended by
 * itself
 */
const run = (killAfter: number | null): Promise<{ ended: boolean; ms: number }> =>
  new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [script], {
      env: {
        ...process.env,
        DATABASE_URL: url,
        MIGRATION_URL: url,
        GENTLE_TIDE_KEY_FILE: join(folder, 'key.json'),
      },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let began = 0;
    let said = '';
    child.stderr.on('data', (text: Buffer) => (said += text.toString()));
    child.stdout.once('data', () => {
      began = performance.now();
      if (killAfter !== null) setTimeout(() => child.kill('SIGKILL'), killAfter);
    });
    child.on('exit', (code, signal) => {
      if (code !== 0 && signal !== 'SIGKILL') reject(new Error(`it ended with ${code}: ${said}`));
      else resolve({ ended: signal === null, ms: performance.now() - began });
    });
  });

describe('migrations', () => {
  it('are done over where they were cut short, at whatever instant', async () => {
    // How long it takes where nothing else holds it up: the instants lie within that.
    let ms = Infinity;
    for (let i = 0; i < 3; i++) {
      await empty();
      ms = Math.min(ms, (await run(null)).ms);
    }
    const whole = await schema();
    expect(whole.length).toBeGreaterThan(12);
    let cut = 0;
    // How long a run takes varies with what else is at work: one that had ended before it was to be cut counts for
    // nothing.
    for (let i = 0; cut < CUTS && i < 5 * CUTS; i++) {
      // Now and then twice in a row.
      if (i % 5 !== 4) await empty();
      const { ended } = await run((ms * ((i % CUTS) + Math.random())) / CUTS);
      if (!ended) cut++;
      if (i % 5 === 3) continue;
      await run(null);
      expect(await schema(), `killed in run ${i}`).toEqual(whole);
    }
    expect(cut).toBe(CUTS);
  }, 300_000);

  it('are done by one of several servers that start at once', async () => {
    await empty();
    const all = await Promise.all([run(null), run(null), run(null)]);
    expect(all.map(({ ended }) => ended)).toEqual([true, true, true]);
    const [versions] = await db.query<mysql.RowDataPacket[]>(
      'SELECT version FROM schema_version WHERE version > 0',
    );
    expect(versions).toHaveLength(readdirSync('migrations').filter((file) => file.endsWith('.sql')).length);
  });

  it('can be carried out twice, each of them', async () => {
    await empty();
    const files = readdirSync('migrations')
      .filter((file) => file.endsWith('.sql'))
      .sort();
    for (const file of files) await db.query(readFileSync(join('migrations', file), 'utf8'));
    const once = await schema();
    await empty();
    for (const file of files) {
      const sql = readFileSync(join('migrations', file), 'utf8');
      await db.query(sql);
      await db.query(sql);
    }
    expect(await schema()).toEqual(once);
  });
});
