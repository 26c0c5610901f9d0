import { existsSync, readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import mysql from 'mysql2/promise';
import { backupTools, benchDatabase, stopped } from './benchDatabase.mjs';
import { runs } from './processes.mjs';

const args = process.argv.slice(2);
const yes = args.includes('--yes');
const [argument, ...more] = args.filter((one) => one !== '--yes');
const signal = stopped();
process.env['GENTLE_TIDE_DATA'] ||= '.local';
let database;
try {
  if (!argument || more.length > 0) throw new Error('say what: ./restore FILE');
  const path = resolve(argument);
  if (!existsSync(path)) throw new Error(`there is no ${argument}`);
  refuseBesideStart();
  const { config, restoreBackup } = await backupTools();
  database = await benchDatabase();
  if (process.env['DATABASE_URL']) await refuseBesideServers(process.env['DATABASE_URL']);
  if (!yes) {
    const asked = createInterface({ input: process.stdin, output: process.stdout });
    const said = await asked.question(
      `Put ${path} in the place of what is in ${config().data} and in its database? Type yes: `,
    );
    asked.close();
    if (said.trim() !== 'yes') throw new Error('you did not say yes');
  }
  const { manifest, before, aside } = await restoreBackup(path, {
    config: config(),
    url: database.url,
    tell: (words) => console.log(words),
    signal,
  });
  console.log(
    `Restored as it was on ${manifest.at}: ${manifest.rows['jobs'] ?? 0} jobs, ${manifest.rows['history'] ?? 0} entries of histories.`,
  );
  if (before) console.log(`What was there before: ${before}`);
  for (const file of aside) console.log(`Put aside: ${file}`);
} catch (error) {
  console.error(
    signal.aborted ? 'Stopped.' : `Nothing was restored: ${error instanceof Error ? error.message : error}`,
  );
  process.exitCode = 1;
} finally {
  await database?.stop();
}
process.exit();

/** A server that `./start` runs would work with a database that goes away under it. */
function refuseBesideStart() {
  const state = '.local/running.json';
  if (process.env['DATABASE_URL'] || !existsSync(state)) return;
  const { starter } = JSON.parse(readFileSync(state, 'utf8'));
  if (runs(starter, 'scripts/start.mjs'))
    throw new Error(`Gentle Tide is running (process ${starter}). Stop it first`);
}

/** Servers work by the account of DATABASE_URL, which sees its own connections. @param {string} url */
async function refuseBesideServers(url) {
  const connection = await mysql.createConnection(url.replace(/^mariadb:/, 'mysql:'));
  try {
    const [found] = /** @type {[{ n: number }[], unknown]} */ (
      await connection.query(
        'SELECT COUNT(*) AS n FROM information_schema.processlist WHERE db = DATABASE() AND id <> CONNECTION_ID()',
      )
    );
    if ((found[0]?.n ?? 0) > 0)
      throw new Error('a server works with this database. Stop it first (systemctl stop gentle-tide)');
  } finally {
    await connection.end();
  }
}
