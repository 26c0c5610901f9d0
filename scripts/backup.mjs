import { existsSync, rmSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { backupTools, benchDatabase, stopped } from './benchDatabase.mjs';

const NIGHTLY = /^nightly-[\d-]+\.gtb$/;

const [argument, ...more] = process.argv.slice(2);
const signal = stopped();
process.env['GENTLE_TIDE_DATA'] ||= '.local';
let database;
try {
  if (!argument || more.length > 0) throw new Error('say where to: ./backup FILE, or ./backup --nightly');
  const { config, listBackups, makeBackup } = await backupTools();
  database = await benchDatabase();
  const { backups, backupsKept } = config();
  const nightly = argument === '--nightly';
  const stamp = new Date().toISOString().slice(0, 16).replace(/[T:]/g, '-');
  const path = resolve(nightly ? join(backups, `nightly-${stamp}.gtb`) : argument);
  if (!nightly && existsSync(path))
    throw new Error(`${argument} is there already; nothing was written over it`);
  const began = Date.now();
  const { parts, rows, migration } = await makeBackup(path, {
    config: config(),
    url: database.url,
    tell: (words) => console.log(words),
    signal,
  });
  const bytes = parts.reduce((sum, part) => sum + part.bytes, 0);
  console.log(
    `${path}: ${rows['jobs'] ?? 0} jobs, ${rows['surveys'] ?? 0} surveys, ${rows['history'] ?? 0} entries of histories at migration ${migration}; ` +
      `${parts.length} parts, ${(bytes / 2 ** 20).toFixed(1)} MiB, ${((Date.now() - began) / 1000).toFixed(1)} s. It was restored into the scratch database and looked at.`,
  );
  if (nightly) {
    const old = (await listBackups(backups)).filter(({ name }) => NIGHTLY.test(name)).slice(backupsKept);
    for (const { name } of old) rmSync(join(backups, name), { force: true });
    if (old.length > 0)
      console.log(
        `${old.length} older ${old.length === 1 ? 'one was' : 'ones were'} removed; ${backupsKept} are kept.`,
      );
  }
} catch (error) {
  console.error(
    signal.aborted
      ? 'Stopped. No backup was made.'
      : `No backup was made: ${error instanceof Error ? error.message : error}`,
  );
  process.exitCode = 1;
} finally {
  await database?.stop();
}
process.exit();
