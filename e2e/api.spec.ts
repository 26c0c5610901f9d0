import { expect, test, type APIRequestContext, type APIResponse } from '@playwright/test';
import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { readdirSync, readFileSync } from 'node:fs';
import { addJob, addSurveyedJob, sampleSurvey } from './survey';

interface ProblemDocument {
  type: string;
  title: string;
  status: number;
  detail: string;
  errors?: { path: string; message: string }[];
}

async function problemOf(reply: APIResponse, status: number): Promise<ProblemDocument> {
  expect(reply.status()).toBe(status);
  expect(reply.headers()['content-type']).toContain('application/problem+json');
  const document = (await reply.json()) as ProblemDocument;
  expect(document).toMatchObject({ status });
  for (const text of [document.type, document.title, document.detail]) expect(text.length).toBeGreaterThan(3);
  return document;
}

const GIB = 2 ** 30;

test('POST /routes answers with a route as the contract says, and always the same', async ({ request }) => {
  const ask = () =>
    request.post('/api/v1/routes', {
      data: { survey: sampleSurvey(), disk: 0, goal: { partition: 1, grow: 50 * GIB } },
    });
  const reply = await ask();
  expect(reply.status()).toBe(200);
  const answer = await reply.json();
  expect(await (await ask()).json()).toEqual(answer);
  expect(answer.reached).toBe(true);
  expect(Object.keys(answer.largestByKit)).toEqual(['windows-only', 'live-mover', 'offline-mover']);
  for (const route of answer.routes) {
    expect(Object.keys(route)).toEqual(
      expect.arrayContaining(['asLeft', 'keepsRecoveryBehind', 'kit', 'steps', 'title', 'totals']),
    );
    for (const step of route.steps) {
      expect(step).toMatchObject({
        verb: expect.stringMatching(/^(shrink|move|extend|create|copy|delete|set-aside|put-back)$/),
        tool: expect.stringMatching(/^(windows|live-mover|offline-mover)$/),
        partition: expect.any(Number),
        seconds: { low: expect.any(Number), high: expect.any(Number) },
        exposedSeconds: { low: expect.any(Number), high: expect.any(Number) },
        why: expect.stringMatching(/[.]$/),
      });
    }
  }
  const [route] = answer.routes;
  const target = route.asLeft.partitions.find((partition: { number: number }) => partition.number === 1);
  expect(target.sectors * 512).toBe(150 * GIB);
});

test('what can’t be read or does not fit gets a problem document, with the path of the field', async ({
  request,
}) => {
  const ask = (data: unknown) => request.post('/api/v1/routes', { data: data as object });
  const at = async (change: (body: Record<string, never>) => void) => {
    const body = { survey: sampleSurvey(), disk: 0, goal: { partition: 1, grow: GIB } } as unknown as Record<
      string,
      never
    >;
    change(body);
    const problem = await problemOf(await ask(body), 422);
    return problem.errors!.map((error) => error.path);
  };
  type Any = Record<string, Record<string, unknown>>;
  expect(await at((body) => ((body as Any)['goal']!['grow'] = 100))).toEqual(['/goal/grow']);
  expect(await at((body) => ((body as Any)['goal'] = { partition: 1, size: GIB }))).toEqual(['/goal/size']);
  expect(await at((body) => ((body as Any)['goal']!['partition'] = 'C'))).toEqual(['/goal/partition']);
  expect(await at((body) => delete (body as Any)['survey'])).toEqual(['/survey']);
  expect(await at((body) => ((body as Any)['survey']!['version'] = 2))).toEqual(['/survey/version']);
  const overlapping = await at((body) => {
    const survey = (body as unknown as { survey: ReturnType<typeof sampleSurvey> }).survey;
    survey.disks[0]!.partitions[2]!['first'] = 3000;
  });
  expect(overlapping).toContain('/survey/disks/0/partitions/2/first');

  const post = (data: string, type: string) =>
    request.post('/api/v1/routes', { data: Buffer.from(data), headers: { 'content-type': type } });
  await problemOf(await post('{"survey":', 'application/json'), 400);
  await problemOf(await post('<survey/>', 'text/xml'), 415);
  await problemOf(await post('survey=1', 'application/x-www-form-urlencoded'), 415);
  await problemOf(await post(`{"x":"${'y'.repeat(10 * 2 ** 20)}"}`, 'application/json'), 413);
  await problemOf(await request.get('/api/v1/nowhere'), 404);
  await problemOf(await request.delete('/api/v1/routes'), 405);
  await problemOf(await request.get('/schemas/nothing.json'), 404);

  await problemOf(await request.get('/api/v1/jobs/99999'), 404);
  await problemOf(await request.put('/api/v1/jobs/abc/goal', { data: { version: 1, size: GIB } }), 404);
  const empty = await addJob(request);
  const early = await request.put(`/api/v1/jobs/${empty}/goal`, { data: { version: 1, size: GIB } });
  expect((await problemOf(early, 422)).detail).toContain('no survey yet');

  const number = await addSurveyedJob(request);
  const put = (what: string, data: object) => request.put(`/api/v1/jobs/${number}/${what}`, { data });
  expect(await problemOf(await put('target', { version: 1, disk: 0, partition: 3 }), 409)).toMatchObject({
    current: 2,
  });
  await problemOf(await put('target', { version: 2, disk: 0, partition: 9 }), 422);
  const small = await problemOf(await put('goal', { version: 2, size: GIB }), 422);
  expect(small.errors![0]!.path).toBe('/size');
});

test('a long search keeps nobody waiting: what is asked later is answered before it', async ({ request }) => {
  // The demo's busiest disk: seven partitions, three of them data volumes.
  const { survey } = await (await request.get('/api/v1/jobs/2611')).json();
  const answered: string[] = [];
  const searches = [300, 320].map(async (gib) => {
    const data = { survey: survey.document, disk: 0, goal: { partition: 3, size: gib * GIB } };
    expect((await request.post('/api/v1/routes', { data })).status()).toBe(200);
    answered.push('routes');
  });
  await request.get('/api/v1/jobs');
  answered.push('jobs');
  await Promise.all(searches);
  expect(answered).toEqual(['jobs', 'routes', 'routes']);
});

test('the OpenAPI document lists every endpoint there is, and no other', async ({ request }) => {
  const { paths, openapi } = (await (await request.get('/api/v1/openapi.json')).json()) as {
    openapi: string;
    paths: Record<string, object>;
  };
  expect(openapi).toBe('3.1.0');
  const documented = Object.entries(paths).flatMap(([path, methods]) =>
    Object.keys(methods).map((method) => `${method.toUpperCase()} ${path}`),
  );
  const served = ['api', 'schemas', 'healthz', 'readyz', 'metrics']
    .map((folder) => `src/routes/${folder}`)
    .flatMap((folder) => readdirSync(folder, { recursive: true }).map((file) => `${folder}/${String(file)}`))
    .filter((file) => file.endsWith('/+server.ts'))
    .flatMap((file) => {
      const path = file.replace('src/routes', '').replace('/+server.ts', '');
      const [, methods = ''] = /export const \{ ([A-Z, ]+) \}/.exec(readFileSync(file, 'utf8')) ?? [];
      return methods
        .split(', ')
        .filter((method) => method !== 'HEAD')
        .map((method) => `${method} ${path.replaceAll('[', '{').replaceAll(']', '}')}`);
    });
  expect(documented.sort()).toEqual(served.sort());
});

test('answers have the forms that are documented for them, which are served under their own names', async ({
  request,
}) => {
  const ajv = new Ajv2020({ strict: false, allErrors: true });
  addFormats.default(ajv);
  const served = async (name: string) =>
    (await (await request.get(`/schemas/${name}.json`)).json()) as object;
  for (const name of ['survey', 'routes-answer', 'diagnosis']) ajv.addSchema(await served(name));
  const fits = async (name: string, reply: APIResponse): Promise<void> => {
    const check = ajv.getSchema(`/schemas/${name}.json`)!;
    check(await reply.json());
    expect(check.errors ?? [], name).toEqual([]);
  };
  for (const name of ['survey', 'routes-request', 'diagnosis-request']) {
    const reply = await request.get(`/schemas/${name}.json`);
    expect(reply.headers()['content-type']).toContain('application/schema+json');
    expect(await reply.json()).toMatchObject({
      $id: `/schemas/${name}.json`,
      $schema: 'https://json-schema.org/draft/2020-12/schema',
    });
  }
  const ask = { survey: sampleSurvey(), disk: 0 };
  await fits('survey', await request.get('/api/v1/jobs/2607/survey'));
  const diagnosis = await request.post('/api/v1/diagnosis', { data: { ...ask, partition: 1 } });
  await fits('diagnosis', diagnosis);
  expect(await diagnosis.json()).toMatchObject({
    target: { disk: 0, partition: 1 },
    canExtendNow: false,
    inReach: 0,
    largest: {
      'windows-only': expect.any(Number),
      'live-mover': expect.any(Number),
      'offline-mover': expect.any(Number),
    },
    findings: [
      { code: 'obstacle-recovery', severity: 'costs', partitions: [2] },
      { code: 'room-inside', partitions: [3] },
    ],
  });
  for (const goal of [{ max: true }, { grow: 50 * GIB }, { grow: 90_000 * GIB }]) {
    const data = { ...ask, goal: { partition: 1, ...goal } };
    await fits('routes-answer', await request.post('/api/v1/routes', { data }));
  }
});

interface Documented {
  paths: Record<
    string,
    Record<string, { requestBody?: { content: Record<string, { schema: { $ref?: string } }> } }>
  >;
}

/** Every body that the API says it takes: where it goes, and where its schema is served. */
async function documentedBodies(
  request: APIRequestContext,
): Promise<{ path: string; method: string; ref: string }[]> {
  const { paths } = (await (await request.get('/api/v1/openapi.json')).json()) as Documented;
  return Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).flatMap(([method, { requestBody }]) => {
      const ref = requestBody?.content['application/json']?.schema.$ref;
      return ref ? [{ path, method, ref }] : [];
    }),
  );
}

test('every body that is documented refuses what it does not describe', async ({ request }) => {
  const bodies = await documentedBodies(request);
  expect(bodies.length).toBeGreaterThan(12);
  for (const { path, method, ref } of bodies) {
    expect((await request.get(ref)).status(), ref).toBe(200);
    const address = path.replace('{number}', '2607').replace('{id}', '1');
    const reply = await request.fetch(address, { method, data: { nothing: 'of it' } });
    const { errors } = await problemOf(reply, 422);
    expect(errors!.length, `${method} ${path}`).toBeGreaterThan(0);
  }
});

test('every example that is documented can be sent, in the order of a job', async ({ request }) => {
  const order = [
    'diagnosis-request routes-request new-job save-survey save-holdings save-choices save-target save-goal choose-route',
    'start-rehearsal rehearsal-wish new-drawing save-drawing new-sheet work-despite ticks layout-proof file-proof job-details archive-job',
  ].flatMap((names) => names.split(' '));
  const bodies = await documentedBodies(request);
  const nameOf = (ref: string) => ref.replace('/schemas/', '').replace('.json', '');
  // The settings of the shop are everybody's here, images lie on the server, and nobody signs in: other tests hold
  // those examples.
  const images = ['begin-upload', 'survey-image'];
  const people = [
    'sign-in',
    'confirm',
    'look-at-invitation',
    'change-secrets',
    'new-person',
    'save-person',
    'new-token',
  ];
  const elsewhere = ['save-workshop', ...images, ...people];
  const documented = bodies.map(({ ref }) => nameOf(ref)).filter((name) => !elsewhere.includes(name));
  expect([...order].sort()).toEqual([...new Set(documented)].sort());

  let number = 0;
  let made = 0;
  for (const name of order) {
    const { path, method, ref } = bodies.find((one) => nameOf(one.ref) === name)!;
    const schema = (await (await request.get(ref)).json()) as { examples: Record<string, unknown>[] };
    expect(schema.examples, name).toHaveLength(1);
    const [example] = schema.examples as [Record<string, unknown>];
    const data = { ...example };
    if ('version' in data && number) {
      const job = (await (await request.get(`/api/v1/jobs/${number}`)).json()) as { version: number };
      data['version'] = job.version;
    }
    const address = path.replace('{number}', String(number)).replace('{id}', String(made));
    const reply = await request.fetch(address, { method, data });
    expect(reply.status(), `${name}: ${await reply.text()}`).toBeLessThan(300);
    const text = await reply.text();
    const answer = (text === '' ? {} : JSON.parse(text)) as { number?: number; id?: number };
    if (name === 'new-job') number = answer.number!;
    if (name === 'new-drawing' || name === 'start-rehearsal') made = answer.id!;
    if (name === 'new-sheet')
      [{ id: made }] = await (await request.get(`/api/v1/jobs/${number}/sheets`)).json();
  }
});
