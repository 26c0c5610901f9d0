// What the work sheet, the proof and five thousand jobs cost, measured on the built application.
import { createHash } from 'node:crypto';
import { createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { once } from 'node:events';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import mysql from 'mysql2/promise';

const JOBS = 5000;
const FILES = 1_000_000;
const RUNS = 30;
const COMPARISONS = 3;

/** @typedef {{ name: string, median: number, p95: number, runs: number }} Timing */

/** @param {string} name @param {number} runs @param {() => Promise<unknown>} work @returns {Promise<Timing>} */
async function timed(name, runs, work) {
  await work();
  const times = [];
  for (let i = 0; i < runs; i++) {
    const began = performance.now();
    await work();
    times.push(performance.now() - began);
  }
  times.sort((a, b) => a - b);
  return { name, median: times[Math.floor(runs / 2)] ?? 0, p95: times[Math.floor(runs * 0.95)] ?? 0, runs };
}

/**
 * A job with a work sheet.
 * @param {import('@playwright/test').Page} page @param {string} address @param {object} survey
 */
async function jobWithSheet(page, address, survey) {
  const { request } = page;
  const added = await request.post(`${address}/api/v1/jobs`, {
    data: { customer: 'Saltmarsh', machine: 'bench' },
  });
  const { number } = await added.json();
  const path = `${address}/api/v1/jobs/${number}`;
  await request.put(`${path}/survey`, { data: { version: 1, source: 'document', survey } });
  const goal = { version: 2, size: 200 * 2 ** 30, options: { kits: ['live-mover'] } };
  await request.put(`${path}/goal`, { data: goal });
  const made = await request.post(`${path}/sheets`, { data: { version: 3 } });
  if (!made.ok()) throw new Error(await made.text());
  const [sheet] = await (await request.get(`${path}/sheets`)).json();
  return { number, path, sheet: `${path}/sheets/${sheet.id}` };
}

/** Copies of one job with its survey, goal and routes, every tenth with its sheet as well. */
async function fill(/** @type {string} */ url, /** @type {number} */ number) {
  const db = await mysql.createConnection({ uri: url, multipleStatements: true });
  await db.query(
    `SET @job = (SELECT id FROM jobs WHERE number = ${number});
     INSERT INTO jobs (number, customer, machine, version, disk_number, partition_number, target_name, target_size,
                       target_used, notes, due, stage, updated_at)
       SELECT 100000 + seq, CONCAT(ELT(1 + seq % 6, 'Tern Street Clinic', 'Pinwheel Bakery', 'Driftwood Radio',
              'Old Lighthouse Museum', 'Marlow & Finch Upholstery', 'Harbour Ferry Office'), ' ', seq),
              ELT(1 + seq % 4, 'till', 'office', 'kiosk', 'studio'), version, disk_number, partition_number, target_name,
              target_size, target_used, CONCAT('note ', seq), CURRENT_DATE - INTERVAL 20 DAY + INTERVAL seq % 60 DAY,
              IF(seq % 10 = 0, 'sheet', 'route'), NOW() - INTERVAL seq MINUTE
         FROM seq_1_to_${JOBS}, (SELECT * FROM jobs WHERE id = @job) one;
     INSERT INTO surveys (job_id, source, taken_at, machine_name, disk_count, partition_count, document)
       SELECT j.id, s.source, s.taken_at, s.machine_name, s.disk_count, s.partition_count, s.document
         FROM jobs j, surveys s WHERE j.number > 100000 AND s.job_id = @job;
     INSERT INTO goals (job_id, survey_id, disk_number, partition_number, size_bytes, keep_free_percent, options, tools_print)
       SELECT j.id, s.id, g.disk_number, g.partition_number, g.size_bytes, g.keep_free_percent, g.options, g.tools_print
         FROM jobs j JOIN surveys s ON s.job_id = j.id, goals g WHERE j.number > 100000 AND g.job_id = @job;
     INSERT INTO routes (goal_id, reached, kit, title, bytes_copied, exposed_bytes, steps, document, chosen)
       SELECT n.id, r.reached, r.kit, r.title, r.bytes_copied, r.exposed_bytes, r.steps, r.document, r.chosen
         FROM goals n JOIN jobs j ON j.id = n.job_id, routes r JOIN goals g ON g.id = r.goal_id
        WHERE j.number > 100000 AND g.job_id = @job;
     INSERT INTO sheets (job_id, survey_id, origin, document, items)
       SELECT j.id, s.id, h.origin, h.document, h.items
         FROM jobs j JOIN surveys s ON s.job_id = j.id, sheets h WHERE j.stage = 'sheet' AND j.number > 100000 AND h.job_id = @job;`,
  );
  await db.end();
}

/**
 * A manifest of made-up files; `change` of them differ. @param {string} path @param {string} takenAt @param {string}
 * disk @param {number} change
 */
async function writeManifest(path, takenAt, disk, change) {
  const out = createWriteStream(path);
  const head = {
    format: 'gentle-tide/manifest',
    version: 1,
    takenAt,
    machine: 'BENCH',
    disks: [disk],
    folders: ['D:\\'],
  };
  out.write(`${JSON.stringify(head)}\n`);
  let bytes = 0;
  let lines = '';
  for (let i = 0; i < FILES; i++) {
    const size = (i * 7919) % 1_000_000;
    bytes += size;
    const hash = createHash('sha256')
      .update(i < change ? `changed ${i}` : String(i))
      .digest('hex')
      .toUpperCase();
    lines += `${hash}\t${size}\tD:\\Patients\\${i % 977}\\series ${i % 31}\\image ${i}.dcm\n`;
    if (lines.length < 1 << 20) continue;
    if (!out.write(lines)) await once(out, 'drain');
    lines = '';
  }
  out.end(`${lines}${JSON.stringify({ files: FILES, bytes })}\n`);
  await once(out, 'finish');
}

/**
 * @param {import('@playwright/test').Page} page
 * @param {string} address
 * @param {string} databaseUrl
 * @param {{ disks: { serial: string }[] }} survey
 */
export async function workTimings(page, address, databaseUrl, survey) {
  const { request } = page;
  const job = await jobWithSheet(page, address, survey);
  const get = (/** @type {string} */ path) => async () => {
    const reply = await request.get(path);
    if (!reply.ok()) throw new Error(`${path}: ${reply.status()}`);
    await reply.body();
  };
  const paper = [
    await timed('work sheet as PDF', 10, get(`${job.sheet}/sheet.pdf`)),
    await timed('work sheet as JSON with its ticks', RUNS, get(job.sheet)),
    await timed('whole job as a ZIP', 10, get(`${job.path}/export`)),
  ];
  await fill(databaseUrl, job.number);
  const jobs = `${address}/api/v1/jobs?size=25`;
  const lists = [
    await timed('first page, last changed', RUNS, get(`${jobs}&sort=changed`)),
    await timed('page 190 of 201', RUNS, get(`${jobs}&sort=changed&page=190`)),
    await timed('first page by customer', RUNS, get(`${jobs}&sort=customer`)),
    await timed('at the work sheet, by due date', RUNS, get(`${jobs}&stage=sheet&sort=due`)),
    await timed('search for “bakery 12”', RUNS, get(`${jobs}&q=bakery%2012`)),
    await timed('search that finds nothing', RUNS, get(`${jobs}&q=nowhere`)),
    await timed('the whole Jobs page', RUNS, get(`${address}/`)),
  ];
  return { paper, lists, files: await fileTimings(page, address, job.number, survey.disks[0]?.serial ?? '') };
}

/** @param {import('@playwright/test').Page} page @param {string} address @param {number} number @param {string} disk */
async function fileTimings(page, address, number, disk) {
  const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-bench-'));
  const [before, after] = [join(folder, 'before.txt'), join(folder, 'after.txt')];
  try {
    await writeManifest(before, '2026-11-20T10:00:00Z', disk, 0);
    await writeManifest(after, '2026-11-21T10:00:00Z', disk, 5);
    await page.goto(`${address}/jobs/${number}/proof`, { waitUntil: 'networkidle' });
    await page.getByLabel('Manifest from before the work').setInputFiles(before);
    await page.getByLabel('Manifest from after the work').setInputFiles(after);
    return await timed('two manifests of a million files compared', COMPARISONS, async () => {
      await page.getByRole('button', { name: 'Compare the files' }).click();
      await page.getByRole('button', { name: 'Stop comparing' }).waitFor();
      await page.getByRole('button', { name: 'Compare the files' }).waitFor({ timeout: 120_000 });
      await page.getByText('5 changed').waitFor();
    });
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
