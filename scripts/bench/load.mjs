import { createHash, randomBytes } from 'node:crypto';
import { setTimeout as wait } from 'node:timers/promises';
import mysql from 'mysql2/promise';
import { loadTs } from '../loadTs.mjs';

const CLIENTS = 50;
const SECONDS = 20;
/** Of a hundred requests so many plan; the others look at lists. */
const PLANNING = 5;

/** @param {number[]} times @param {number} share */
const at = (times, share) => times.sort((a, b) => a - b)[Math.floor((times.length - 1) * share)] ?? 0;

/**
 * Fifty people at once, most of whom look at the list, and some of whom plan.
 * @param {string} address
 * @param {string[]} cookies of those who are signed in; without them they say who they are
 */
export async function loadTimings(address, cookies = [], seconds = SECONDS) {
  // The workshop's authority is nobody's here, and only times are looked at.
  process.env['NODE_TLS_REJECT_UNAUTHORIZED'] = '0';
  const { benchSurvey } = await loadTs('scripts/bench/disks.ts');
  const bodies = [6, 8, 12].map((count, i) =>
    JSON.stringify({ survey: benchSurvey(count, i + 1, 30_000), disk: 0, goal: { partition: 2, grow: 8e9 } }),
  );
  /** @type {{ list: number[], plan: number[], busy: number }} */
  const times = { list: [], plan: [], busy: 0 };
  const until = performance.now() + seconds * 1000;
  await Promise.all(
    Array.from({ length: CLIENTS }, async (_, client) => {
      const cookie = cookies[client] ?? `person=client-${client}`;
      for (let i = client; performance.now() < until; i++) {
        const plans = (i * 37) % 100 < PLANNING;
        const began = performance.now();
        const reply = plans
          ? await fetch(`${address}/api/v1/routes`, {
              method: 'POST',
              headers: { 'content-type': 'application/json', origin: address, cookie },
              body: bodies[i % bodies.length] ?? '',
            })
          : await fetch(`${address}/api/v1/jobs?size=25`, { headers: { cookie } });
        await reply.arrayBuffer();
        if (reply.status === 503) times.busy++;
        else if (!reply.ok) throw new Error(`${reply.status} from ${address}`);
        else times[plans ? 'plan' : 'list'].push(performance.now() - began);
        // Somebody who looks at what came.
        await wait(300 + ((i * 53) % 400));
      }
    }),
  );
  const row = (/** @type {'list' | 'plan'} */ name, /** @type {string} */ what) => ({
    name: what,
    median: at(times[name], 0.5),
    p95: at(times[name], 0.95),
    runs: times[name].length,
  });
  return {
    rows: [row('list', 'a list of 25 of 5,000 jobs'), row('plan', 'planning (6, 8 and 12 partitions)')],
    busy: times.busy,
  };
}

/**
 * Signs in as many people as there are clients. What lets in is made here, since fifty passphrases would take longer
 * than the load.
 * @param {string} databaseUrl @returns {Promise<string[]>} their cookies
 */
export async function sessionsFor(databaseUrl) {
  const db = await mysql.createConnection(databaseUrl);
  const kept = (/** @type {string} */ token) => createHash('sha256').update(token).digest('hex');
  const cookies = [];
  for (let i = 0; i < CLIENTS; i++) {
    const token = randomBytes(32).toString('base64url');
    const [person] = await db.execute("INSERT INTO people (name, role) VALUES (?, 'technician')", [
      `Client ${i} ${token.slice(0, 4)}`,
    ]);
    const [device] = await db.execute(
      "INSERT INTO devices (token, name, address) VALUES (?, 'bench', '127.0.0.1')",
      [kept(`device ${token}`)],
    );
    await db.execute(
      'INSERT INTO sessions (token, person_id, device_id, ends_at) VALUES (?, ?, ?, UTC_TIMESTAMP(3) + INTERVAL 1 DAY)',
      [kept(token), idOf(person), idOf(device)],
    );
    cookies.push(`__Host-session=${token}`);
  }
  await db.end();
  return cookies;
}
/** @param {unknown} result */
const idOf = (result) => /** @type {{ insertId: number }} */ (result).insertId;

/**
 * The longest that the server's own thread was kept from everybody else by the worst bodies of 4 MiB that each
 * operation can be sent: how long a request that needs nothing took meanwhile, beyond what it takes otherwise.
 * @param {string} address
 */
export async function blockingTimings(address) {
  const { operationsOf, makeJob, addressOf } = await loadTs('hostile/api.ts');
  const { worstOf } = await loadTs('hostile/worst.ts');
  const operations = await operationsOf(address);
  const here = await makeJob(address, operations);
  /** @type {{ name: string, ms: number }[]} */
  const rows = [];
  for (const { method, path, takes, example } of operations) {
    if (takes !== 'application/json') continue;
    let worst = 0;
    for (const body of worstOf(example)) {
      let done = false;
      const send = fetch(address + addressOf(path, here), {
        method,
        headers: { 'content-type': 'application/json' },
        body,
      }).then(async (reply) => {
        await reply.arrayBuffer();
        done = true;
      });
      while (!done) {
        const began = performance.now();
        await (await fetch(`${address}/schemas/new-job.json`)).arrayBuffer();
        worst = Math.max(worst, performance.now() - began);
      }
      await send;
    }
    rows.push({ name: `${method} ${path.replace('/api/v1', '')}`, ms: worst });
  }
  return rows;
}
