import { existsSync, readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { parseArgs } from 'node:util';
import mysql from 'mysql2/promise';
import { backupTools, benchDatabase, stopped } from './benchDatabase.mjs';
import { runs } from './processes.mjs';

const signal = stopped();
process.env['GENTLE_TIDE_DATA'] ||= '.local';
let database;
try {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: { yes: { type: 'boolean' }, trust: { type: 'boolean' }, back: { type: 'boolean' } },
  });
  const [argument, ...more] = positionals;
  if ((argument === undefined) !== (values.back ?? false) || more.length > 0)
    throw new Error('say what: ./restore FILE, or ./restore --back after one that was cut short');
  const path = argument === undefined ? null : resolve(argument);
  if (path && !existsSync(path)) throw new Error(`there is no ${argument}`);
  refuseBesideStart();
  const { config, restoreBackup, goBack } = await backupTools();
  database = await benchDatabase();
  if (process.env['DATABASE_URL']) await refuseBesideServers(process.env['DATABASE_URL']);
  const from = {
    config: config(),
    url: database.url,
    tell: (/** @type {string} */ words) => console.log(words),
    signal,
  };
  if (!path) {
    const cut = await goBack(from);
    if (!cut) throw new Error('no restore was cut short here; there is nothing to go back from');
    console.log(`Everything is as it was before the restore of ${cut.backup}.`);
    await database.stop();
    process.exit();
  }
  const question = `Put ${path} in the place of what is in ${config().data} and in its database? Type yes: `;
  if (!values.yes && !(await isSaid(question, 'yes'))) throw new Error('you did not say yes');
  const { manifest, before, aside } = await restoreBackup(path, from, async (why) => {
    if (values.trust) return true;
    // Whoever said yes beforehand said nothing about this.
    if (values.yes) {
      console.error('Say --trust as well if you know where it was since it was made.');
      return false;
    }
    return isSaid(
      `${why}\nWhoever altered it could have put their own people, keys and histories in. If you know where it was since, type trust: `,
      'trust',
    );
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

/** @param {string} question @param {string} word */
async function isSaid(question, word) {
  const asked = createInterface({ input: process.stdin, output: process.stdout });
  const said = await asked.question(question);
  asked.close();
  return said.trim() === word;
}

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
