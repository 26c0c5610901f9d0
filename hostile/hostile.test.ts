import { createHash } from 'node:crypto';
import mysql from 'mysql2/promise';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  addressOf,
  deleteJob,
  makeJob,
  operationsOf,
  renewIds,
  versionOf,
  type Here,
  type Operation,
} from './api';
import { chance, pick } from './chance';
import { DAY, share, shareOf, WHOLE } from '../src/lib/core/test/evidence';
import { altered, mildly, ODD_BODIES, ODD_PARTS, ODD_VALUES, type Json } from './odd';
import { eachOf, sendTo, type Answer, type Sent } from './send';

// The built application, sent everything that no honest client sends. What an honest one sends is read from the API's
// own document.
const base = process.env['SERVER_URL'] ?? '';
const AT_ONCE = 6;
/** Altered bodies for each operation that takes one. */
const EACH = share(400, 20);
/** Fields that decide whether something is kept: left alone, and too old, so that nothing is. */
const KEPT_OLD = new Set(['version', 'edition']);
const OLD = 4_000_000;

let operations: Operation[];
let here: Here;
let before: Map<string, string>;
const made: number[] = [];
let sentInAll = 0;

beforeAll(async () => {
  operations = await operationsOf(base);
  before = await tables();
  here = await makeJob(base, operations);
});
afterAll(async () => {
  for (const number of [here.number, ...made]) await deleteJob(base, number);
  expect(await tables()).toEqual(before);
});

/** A sum over every row of every table, but for those that count what was ever done. */
async function tables(): Promise<Map<string, string>> {
  const db = await mysql.createConnection({ uri: process.env['DATABASE_URL'] ?? '', jsonStrings: true });
  const [names] = await db.query<mysql.RowDataPacket[]>('SHOW TABLES');
  const sums = new Map<string, string>();
  for (const row of names) {
    const name = String(Object.values(row)[0]);
    if (['counters', 'bench', 'bench_history'].includes(name)) continue;
    const [rows] = await db.query<mysql.RowDataPacket[]>(`SELECT * FROM ${name}`);
    const lines = rows.map((one) => JSON.stringify(one)).sort();
    sums.set(name, createHash('sha256').update(lines.join('\n')).digest('hex'));
  }
  await db.end();
  return sums;
}

/** Too old for anything to be kept, where the body says how old it is. */
function aged(example: Json): Json {
  const body = { ...(structuredClone(example) as Record<string, Json>) };
  for (const field of KEPT_OLD) if (field in body) body[field] = OLD;
  return body;
}

interface Wrong {
  sent: string;
  answer: string;
}
/** Some of them, and how many there are. */
const few = (wrong: readonly unknown[]) => [wrong.length, ...wrong.slice(0, 8)];
const NONE = [0];
const shown = ({ method, path, body }: Sent): string =>
  `${method} ${path.slice(0, 90)} ${(typeof body === 'string' ? body : '').slice(0, 300)}`;

/** Sends them, a few at a time, and tells those whose answer is not what an attacker should get. */
async function wrongAmong(list: readonly Sent[]): Promise<Wrong[]> {
  const wrong: Wrong[] = [];
  await eachOf(list, AT_ONCE, async (sent) => {
    sentInAll++;
    let answer: Answer;
    try {
      answer = await sendTo(base, sent);
    } catch (error) {
      wrong.push({ sent: shown(sent), answer: String(error) });
      return;
    }
    if (sent.method === 'POST' && sent.path.split('?')[0] === '/api/v1/jobs' && answer.status === 201)
      made.push((JSON.parse(answer.text) as { number: number }).number);
    const problem = problemWith(sent, answer);
    if (problem) wrong.push({ sent: shown(sent), answer: problem });
  });
  return wrong;
}

function problemWith(sent: Sent, { status, type, text }: Answer): string | null {
  if (status >= 500) return `${status} ${text.slice(0, 300)}`;
  // HEAD has no body to tell anything in.
  if (status < 400 || !sent.path.startsWith('/api/') || sent.method === 'HEAD') return null;
  if (!type.includes('problem+json')) return `${status} as ${type}: ${text.slice(0, 200)}`;
  const { detail, errors = [] } = JSON.parse(text) as { detail: string; errors?: { message: string }[] };
  const sentences = [detail, ...errors.map(({ message }) => message)];
  const bad = sentences.find((one) => !/[.!?]$/.test(one) || one.length > 1200);
  return bad === undefined ? null : `${status} says: ${bad.slice(0, 300)}`;
}

const json = { 'content-type': 'application/json' };

describe('every operation of the API', () => {
  it('refuses altered bodies in a sentence, or takes them whole', async () => {
    const random = chance(WHOLE ? 11 : DAY);
    const taking = operations.filter(({ takes }) => takes === 'application/json');
    expect(taking.length).toBeGreaterThan(15);
    const list = taking.flatMap(({ method, path, example }) => {
      expect(example, path).not.toBeNull();
      return Array.from({ length: EACH }, (): Sent => ({
        method,
        path: addressOf(path, here),
        headers: json,
        body: altered(aged(example), KEPT_OLD, random),
      }));
    });
    expect(few(await wrongAmong(shuffled(list, random)))).toEqual(NONE);
  });

  it('refuses bodies that are no documents at all, of any size, and other types', async () => {
    const taking = operations.filter(({ takes }) => takes !== null);
    const list = taking.flatMap(({ method, path }) =>
      ODD_BODIES.flatMap((body): Sent[] => {
        const to = { method, path: addressOf(path, here), body };
        const headers = { 'content-type': 'application/json' };
        return [
          { ...to, headers },
          ...(body.length < 1000
            ? [
                { ...to, headers, chunked: true },
                { ...to, headers: { 'content-type': 'text/plain' } },
                { ...to, headers: { 'content-type': 'application/zip' } },
                { ...to, headers: { 'content-type': 'application/json; charset=utf-16' } },
                { ...to, headers: {} },
              ]
            : []),
        ];
      }),
    );
    expect(few(await wrongAmong(shareOf(list, 4)))).toEqual(NONE);
  });

  it('answers what comes next on a connection whose last body it had no need to read', async () => {
    const body = `{"name":"${'x'.repeat(2_000_000)}"}`;
    for (const path of [
      '/api/v1/jobs/987654321/survey',
      `/api/v1/jobs/${here.number}/rehearsals/987654321`,
    ]) {
      const unread = await sendTo(base, { method: 'PUT', path, headers: json, body });
      expect(unread.status, path).toBeGreaterThanOrEqual(400);
      expect((await sendTo(base, { method: 'GET', path: '/api/v1/jobs?size=1' })).status).toBe(200);
    }
  });

  it('knows no odd addresses, and none of them changes anything', async () => {
    const list = operations.flatMap(({ method, path, example, takes, query }) => {
      const body = takes === 'application/json' ? JSON.stringify(aged(example)) : undefined;
      const to = (address: string): Sent => ({ method, path: address, headers: body ? json : {}, body });
      const parts = [...path.matchAll(/\{\w+\}/g)].map(([part]) => part);
      return [
        ...parts.flatMap((part, i) =>
          ODD_PARTS.map((odd) => {
            let at = -1;
            const put = path.replace(/\{\w+\}/g, (one) => (++at === i ? odd : one));
            return to(addressOf(put, here));
          }),
        ),
        ...query
          .filter(() => method !== 'DELETE')
          .flatMap((name) =>
            ODD_PARTS.map((odd) => to(`${addressOf(path, here)}?${name}=${odd.replaceAll(' ', '+')}`)),
          ),
        ...(method === 'DELETE' ? [] : [to(`${addressOf(path, here)}?version=1&version=2&__proto__[x]=1`)]),
      ];
    });
    expect(few(await wrongAmong(shareOf(list, 6).filter(({ path }) => !/[ ]/.test(path))))).toEqual(NONE);
  });

  it('knows no odd methods, cookies and headers', async () => {
    // Printing and packing know nothing of headers, and take their time.
    const slow = /pdf|export/;
    const paths = [...new Set(operations.map(({ path }) => addressOf(path, here)))].filter(
      (path) => !slow.test(path),
    );
    const values = ODD_VALUES.filter((one): one is string => typeof one === 'string' && one.length < 3000);
    const list = paths.flatMap((path): Sent[] => [
      ...['PATCH', 'OPTIONS', 'TRACE', 'PROPFIND', 'HEAD'].map((method) => ({ method, path })),
      ...values.map((value) => ({
        method: 'GET',
        path,
        headers: { cookie: `person=${encodeURIComponent(value.toWellFormed())}` },
      })),
      ...['person=%ED%A0%80', 'person=%', 'a'.repeat(8000), 'person', '=;=;'].map((cookie) => ({
        method: 'GET',
        path,
        headers: { cookie },
      })),
      { method: 'GET', path, headers: { accept: 'x'.repeat(4000) } },
      { method: 'GET', path, headers: { range: 'bytes=0-99999999999' } },
      {
        method: 'GET',
        path,
        headers: { 'x-forwarded-host': 'evil.example', 'x-forwarded-proto': 'javascript' },
      },
    ]);
    expect(few(await wrongAmong(shareOf(list, 2)))).toEqual(NONE);
  });

  it('answers nobody who asks by another name, or from another page', async () => {
    const list = operations.map(({ method, path, example, takes }): Sent => ({
      method,
      path: addressOf(path, here),
      headers: takes ? json : {},
      body: takes === 'application/json' ? JSON.stringify(aged(example)) : undefined,
    }));
    for (const sent of [
      ...list,
      { method: 'GET', path: '/' },
      { method: 'GET', path: '/jobs/2614/survey' },
    ]) {
      const host = await sendTo(base, { ...sent, headers: { ...sent.headers, host: 'rebound.example' } });
      expect([sent.path, host.status]).toEqual([sent.path, 421]);
      for (const origin of ['http://evil.example', 'null', `${base}.evil.example`, 'http://localhost:1']) {
        const other = await sendTo(base, { ...sent, headers: { ...sent.headers, origin } });
        expect([sent.path, origin, other.status]).toEqual([sent.path, origin, 403]);
      }
    }
  });

  it('was sent ten thousand requests at least', () => {
    expect(sentInAll).toBeGreaterThan(share(10_000, 12));
  });
});

describe('what is taken', () => {
  it('can be shown on every page of its job, exported, and deleted', async () => {
    const random = chance(WHOLE ? 12 : DAY);
    const number = (await makeJob(base, operations)).number;
    made.push(number);
    const saving = operations.filter(
      ({ path, takes, method }) =>
        takes === 'application/json' && path.startsWith('/api/v1/jobs/{number}') && method !== 'DELETE',
    );
    const wanted = share(40, 4);
    let taken = 0;
    const failing: string[] = [];
    for (let round = 0; round < 300 && taken <= wanted; round++) {
      const { method, path, example } = pick(saving, random);
      const at = { ...here, number };
      for (const list of ['drawings', 'sheets', 'surveys', 'rehearsals'] as const) {
        const { text } = await sendTo(base, { method: 'GET', path: `/api/v1/jobs/${number}/${list}` });
        at[list.slice(0, -1) as 'drawing'] = (JSON.parse(text) as { id: number }[])[0]?.id ?? 0;
      }
      const body = JSON.parse((round % 4 ? mildly : altered)(example, KEPT_OLD, random)) as Record<
        string,
        Json
      > | null;
      if (typeof body !== 'object' || body === null) continue;
      if ('version' in body) body['version'] = await versionOf(base, number);
      if (path.endsWith('/ticks')) renewIds(body['ticks']);
      const sent = { method, path: addressOf(path, at), headers: json, body: JSON.stringify(body) };
      const answer = await sendTo(base, sent);
      if (answer.status >= 500) failing.push(`${shown(sent)}: ${answer.status}`);
      if (answer.status >= 300) continue;
      taken++;
      const pages = [
        'survey',
        'survey/by-hand',
        'survey/changes',
        'diagnosis',
        'target',
        'route',
        'rehearsal',
        'sheet',
        'proof',
        'about',
      ];
      const looks = [
        ...pages.map((page) => `/jobs/${number}/${page}`),
        `/jobs/${number}/drawing/${at.drawing}`,
        '/',
        `/api/v1/jobs/${number}`,
        `/api/v1/jobs/${number}/export`,
        `/api/v1/jobs/${number}/survey.csv`,
        `/api/v1/jobs/${number}/sheets/${at.sheet}`,
      ];
      for (const path of looks) {
        const look = await sendTo(base, { method: 'GET', path });
        if (look.status >= 500) failing.push(`${path} after ${shown(sent)}: ${look.status}`);
      }
      const { text } = await sendTo(base, { method: 'GET', path: `/api/v1/jobs/${number}/history` });
      const history = JSON.parse(text) as { holds: boolean }[];
      if (!history.every(({ holds }) => holds)) failing.push(`history after ${shown(sent)}`);
    }
    expect(few(failing)).toEqual(NONE);
    expect(taken).toBeGreaterThan(wanted);
  });
});

function shuffled<T>(list: readonly T[], random: () => number): T[] {
  return list
    .map((one) => ({ one, at: random() }))
    .sort((a, b) => a.at - b.at)
    .map(({ one }) => one);
}
