import type { HistoryEntry } from '$contract/jobs';
import { readdirSync } from 'node:fs';
import { findBreach, type ChainHead } from '../history/chain';
import { nameJobChain } from '../history/history';
import { withConnection, tablesOf } from './scratch';
import type mysql from 'mysql2/promise';

/** Content of a restored database, with its check. */
export interface Inspected {
  /** The newest migration that was carried out on it. */
  migration: number;
  rows: Record<string, number>;
  /** Jobs whose history does not hold by this workshop's key. */
  broken: number[];
}

/** The newest migration that this program knows. */
export const findNewestMigration = (folder = 'migrations'): number =>
  Math.max(0, ...readdirSync(folder).map((name) => Number(/^(\d+)\.do\./.exec(name)?.[1] ?? 0)));

/** Sentence about a database that is newer than the program. */
export const explainTooNew = (has: number, knows: number): string =>
  `The database is at migration ${has}, and this program knows ${knows} only: a newer Gentle Tide worked with it. Install that one, or restore a backup from before.`;

type Row<T> = T & mysql.RowDataPacket;

/** Looks at all of a database: its tables, how many rows each has, and every seal of every history. */
export async function inspect(url: string): Promise<Inspected> {
  const tables = await tablesOf(url);
  if (!tables.includes('schema_version'))
    throw new Error('The database holds nothing yet: start the server once before you make a backup.');
  return withConnection(url, async (connection) => {
    const rows: Record<string, number> = {};
    for (const table of tables) {
      const [[count]] = await connection.query<Row<{ n: number }>[]>(
        `SELECT COUNT(*) AS n FROM \`${table}\``,
      );
      rows[table] = count!.n;
    }
    const [[version]] = await connection.query<Row<{ v: number | null }>[]>(
      'SELECT MAX(version) AS v FROM schema_version',
    );
    const [jobs] = await connection.query<Row<ChainHead & { id: number; number: number }>[]>(
      'SELECT id, number, history_count AS count, history_seal AS seal FROM jobs',
    );
    const broken: number[] = [];
    for (const job of jobs) {
      const [entries] = await connection.query<Row<HistoryEntry>[]>(
        'SELECT at, who, what, kind, seal FROM history WHERE job_id = ? ORDER BY id',
        [job.id],
      );
      if (findBreach(nameJobChain(job.id), entries, job)) broken.push(job.number);
    }
    return { migration: Number(version?.v ?? 0), rows, broken };
  });
}
