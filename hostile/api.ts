import { randomUUID } from 'node:crypto';
import type { Json } from './odd';
import { sendTo } from './send';

/** One operation of the API, as its own document tells of it. */
export interface Operation {
  method: string;
  path: string;
  /** An honest body; null: it takes none. */
  example: Json;
  /** The type of its body; null: it takes none. */
  takes: string | null;
  query: string[];
}

interface OpenApi {
  paths: Record<
    string,
    Record<
      string,
      {
        parameters?: { name: string; in: string }[];
        requestBody?: { content: Record<string, { schema?: { $ref?: string } }> };
      }
    >
  >;
}

/** Every operation of the OpenAPI document, with the example that the schema of its body gives. */
export async function operationsOf(base: string): Promise<Operation[]> {
  const get = async <T>(path: string): Promise<T> =>
    JSON.parse((await sendTo(base, { method: 'GET', path })).text) as T;
  const { paths } = await get<OpenApi>('/api/v1/openapi.json');
  const found: Operation[] = [];
  for (const [path, methods] of Object.entries(paths)) {
    for (const [method, { parameters = [], requestBody }] of Object.entries(methods)) {
      const [takes = null, content] = Object.entries(requestBody?.content ?? {})[0] ?? [];
      const ref = content?.schema?.$ref;
      const schema = ref ? await get<{ examples?: Json[] }>(ref) : {};
      const query = parameters.filter((one) => one.in === 'query').map((one) => one.name);
      found.push({ method: method.toUpperCase(), path, example: schema.examples?.[0] ?? null, takes, query });
    }
  }
  return found;
}

/** What the places in an address stand for, in a job that has one of everything. */
export interface Here {
  number: number;
  survey: number;
  drawing: number;
  sheet: number;
  rehearsal: number;
}

export const addressOf = (path: string, here: Here): string =>
  path
    .replace('{number}', String(here.number))
    .replace('surveys/{id}', `surveys/${here.survey}`)
    .replace('drawings/{id}', `drawings/${here.drawing}`)
    .replace('sheets/{id}', `sheets/${here.sheet}`)
    .replace('rehearsals/{id}', `rehearsals/${here.rehearsal}`)
    .replace('{name}', 'survey');

const json = { 'content-type': 'application/json' };

/** Adds a job and does with it what the examples say, until it has one of everything; its rehearsal has ended. */
export async function makeJob(base: string, operations: readonly Operation[]): Promise<Here> {
  const here: Here = { number: 0, survey: 0, drawing: 0, sheet: 0, rehearsal: 0 };
  const work = async (method: string, path: string): Promise<{ number?: number; id?: number }> => {
    const { example } = operations.find((one) => one.method === method && one.path === path)!;
    const body: Record<string, Json> = structuredClone(example) as Record<string, Json>;
    if ('version' in body) body['version'] = await versionOf(base, here.number);
    if (path.endsWith('/ticks')) renewIds(body['ticks']);
    const answer = await sendTo(base, {
      method,
      path: addressOf(path, here),
      headers: json,
      body: JSON.stringify(body),
    });
    if (answer.status >= 300) throw new Error(`${method} ${path}: ${answer.status} ${answer.text}`);
    return JSON.parse(answer.text) as { number?: number; id?: number };
  };
  const JOB = '/api/v1/jobs/{number}';
  here.number = (await work('POST', '/api/v1/jobs')).number!;
  await work('PUT', `${JOB}/survey`);
  await work('PUT', `${JOB}/goal`);
  here.rehearsal = (await work('POST', `${JOB}/rehearsals`)).id!;
  await endRehearsal(base, here);
  here.drawing = (await work('POST', `${JOB}/drawings`)).id!;
  await work('POST', `${JOB}/sheets`);
  const first = async (list: string): Promise<number> => {
    const { text } = await sendTo(base, { method: 'GET', path: `/api/v1/jobs/${here.number}/${list}` });
    return (JSON.parse(text) as { id: number }[])[0]!.id;
  };
  here.survey = await first('surveys');
  here.sheet = await first('sheets');
  await work('POST', `${JOB}/sheets/{id}/ticks`);
  await work('POST', `${JOB}/sheets/{id}/layout-proof`);
  await work('POST', `${JOB}/sheets/{id}/file-proof`);
  return here;
}

/** Ends what is under way, so that whoever watches it is answered. */
async function endRehearsal(base: string, { number, rehearsal }: Here): Promise<void> {
  const path = `/api/v1/jobs/${number}/rehearsals/${rehearsal}`;
  await sendTo(base, { method: 'PUT', path, headers: json, body: JSON.stringify({ wish: 'cancel' }) });
  const { text } = await sendTo(base, { method: 'GET', path: `${path}/events` });
  if (!text.includes('"cancelled"')) throw new Error(`the rehearsal did not end: ${text.slice(-300)}`);
}

/** Each tick has an id that no other has; the example's was given out already. */
export function renewIds(ticks: Json | undefined): void {
  if (!Array.isArray(ticks)) return;
  for (const tick of ticks)
    if (typeof tick === 'object' && tick !== null && 'id' in tick) Object.assign(tick, { id: randomUUID() });
}

export async function versionOf(base: string, number: number): Promise<number> {
  const { text } = await sendTo(base, { method: 'GET', path: `/api/v1/jobs/${number}` });
  return (JSON.parse(text) as { version: number }).version;
}

export async function deleteJob(base: string, number: number): Promise<void> {
  const version = await versionOf(base, number);
  const { status } = await sendTo(base, {
    method: 'DELETE',
    path: `/api/v1/jobs/${number}?version=${version}`,
  });
  if (status !== 204) throw new Error(`job ${number} could not be deleted: ${status}`);
}
