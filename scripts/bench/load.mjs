import { setTimeout as wait } from 'node:timers/promises';
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
 */
export async function loadTimings(address) {
  const { benchSurvey } = await loadTs('scripts/bench/disks.ts');
  const bodies = [6, 8, 12].map((count, i) =>
    JSON.stringify({ survey: benchSurvey(count, i + 1, 30_000), disk: 0, goal: { partition: 2, grow: 8e9 } }),
  );
  /** @type {{ list: number[], plan: number[], busy: number }} */
  const times = { list: [], plan: [], busy: 0 };
  const until = performance.now() + SECONDS * 1000;
  await Promise.all(
    Array.from({ length: CLIENTS }, async (_, client) => {
      const cookie = `person=client-${client}`;
      for (let i = client; performance.now() < until; i++) {
        const plans = (i * 37) % 100 < PLANNING;
        const began = performance.now();
        const reply = plans
          ? await fetch(`${address}/api/v1/routes`, {
              method: 'POST',
              headers: { 'content-type': 'application/json', cookie },
              body: bodies[i % bodies.length] ?? '',
            })
          : await fetch(`${address}/api/v1/jobs?size=25`, { headers: { cookie } });
        await reply.arrayBuffer();
        if (reply.status === 503) times.busy++;
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
 * The longest that the server's own thread was kept from everybody else by the worst bodies of 4 MiB that each operation can be sent:
 * how long a request that needs nothing took meanwhile, beyond what it takes otherwise.
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
