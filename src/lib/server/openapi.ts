import type { Endpoint } from './endpoint';
import { ENDPOINTS } from './endpoints';

/** The OpenAPI 3.1 document, made of the list of endpoints and of what holds for all of them (contract, API). */

const PROBLEMS: Record<number, string> = {
  400: 'The body is no JSON',
  401: 'Nobody is signed in, where people sign in',
  403: 'Whoever asks may not: `need` of the endpoint says who may, its scope which tokens',
  404: 'There is no such thing',
  409: 'Saved by somebody else since; `current` is the version to decide on',
  413: 'The body is larger than 4 MiB',
  415: 'The body is not declared as application/json',
  422: 'Bad input; `errors` says what is wrong at which path',
};

const SAVED = {
  type: 'object',
  required: ['number', 'version'],
  properties: {
    number: { type: 'integer' },
    version: { type: 'integer', description: 'to be sent with the next save' },
  },
};

const ref = (name: string) => ({ $ref: `/schemas/${name}.json` });
const content = (type: string, schema: object) => ({ [type]: { schema } });

function operation(path: string, endpoint: Endpoint): object {
  const { summary, need, scope, takes, query = [], gives, schema, type, status = 200, conflicts } = endpoint;
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name!);
  const isJson = takes !== undefined && !takes.includes('/');
  const problems = [
    ...(isJson ? [400] : []),
    ...(need === 'anyone' ? [] : [401, 403]),
    ...(inPath.length > 0 ? [404] : []),
    ...(conflicts ? [409] : []),
    ...(takes ? [413, 415] : []),
    ...((takes ?? query.some(([name]) => name === 'version')) ? [422] : []),
  ];
  const form =
    typeof schema === 'string' ? ref(schema) : (schema ?? (gives === 'Saved' ? SAVED : { type: 'object' }));
  const given = type ? content(type, { type: 'string' }) : content('application/json', form);
  return {
    summary,
    ...(need !== 'anyone' && {
      'x-role': need,
      security: [{ session: [] }, ...(scope === null ? [] : [{ token: [scope] }])],
    }),
    parameters: [
      ...inPath.map((name) => ({
        name,
        in: 'path',
        required: true,
        schema: { type: name === 'name' || path.startsWith('/api/v1/uploads') ? 'string' : 'integer' },
        description: name === 'number' ? 'number of the job' : `${name} as the list gives it`,
      })),
      ...query.map(([name, of, description]) => ({
        name,
        in: 'query',
        required: name === 'version',
        schema: of,
        description,
      })),
    ],
    ...(takes && {
      requestBody: {
        required: true,
        content: isJson
          ? content('application/json', ref(takes))
          : content(takes, { type: 'string', contentEncoding: 'binary' }),
      },
    }),
    responses: {
      [status]: { description: gives, ...(status === 204 ? {} : { content: given }) },
      ...Object.fromEntries(
        problems.map((code) => [code, { $ref: `#/components/responses/problem${code}` }]),
      ),
    },
  };
}

const paths: Record<string, Record<string, object>> = {};
for (const [name, endpoint] of Object.entries(ENDPOINTS)) {
  const [method, path] = name.split(' ') as [string, string];
  (paths[path] ??= {})[method] = operation(path, endpoint);
}

const PROBLEM = {
  type: 'object',
  required: ['type', 'title', 'status', 'detail'],
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
    errors: {
      type: 'array',
      items: { type: 'object', properties: { path: { type: 'string' }, message: { type: 'string' } } },
    },
  },
};

export const openapi = {
  openapi: '3.1.0',
  info: {
    title: 'Gentle Tide',
    version: '1',
    description:
      'Sizes in bytes, positions in logical sectors, disks counted from 0. Bad input is answered with problem documents (RFC 9457).',
  },
  paths,
  components: {
    // Where nobody signs in (on one's own computer) neither is asked for.
    securitySchemes: {
      session: { type: 'apiKey', in: 'cookie', name: '__Host-session' },
      token: { type: 'http', scheme: 'bearer' },
    },
    responses: Object.fromEntries(
      Object.entries(PROBLEMS).map(([status, description]) => [
        `problem${status}`,
        { description, content: content('application/problem+json', PROBLEM) },
      ]),
    ),
  },
};
