import { addressOf, isDocument, isMedia, type Endpoint } from './endpoint';
import { ENDPOINTS } from './index';
import { statusOf } from './problems';

/** The OpenAPI 3.1 document, made of the endpoints and of what holds for all of them. */

/** Meaning of each status of a refusal; the sentences of single endpoints say more. */
const STATUSES: Readonly<Record<number, string>> = {
  400: 'The body is no JSON',
  401: 'Nobody is signed in, where people sign in',
  403: 'Whoever asks may not: `need` of the endpoint says who may, its scope which tokens',
  404: 'There is no such thing',
  409: 'Saved by somebody else since; `current` is the version to decide on',
  410: 'No longer good',
  413: 'The body is larger than 4 MiB',
  415: 'The body is not declared as application/json',
  416: 'Not in the file',
  422: 'Bad input; `errors` says what is wrong at which path',
  429: 'Too many tries; `seconds` says when the next is taken',
  503: 'Not now',
};

const content = (type: string, schema: object) => ({ [type]: { schema } });

function schemaOf(one: NonNullable<Endpoint['answer'] | Endpoint['body']>): object {
  if (isMedia(one)) return { type: 'string' };
  return isDocument(one) ? { $ref: addressOf(one.name) } : one;
}

function statusesOf({ need, body, query = {}, errors = [] }: Endpoint, names: readonly string[]): number[] {
  const found = new Set([
    ...(body && !isMedia(body) ? [400] : []),
    ...(need === 'anyone' ? [] : [401, 403]),
    ...(names.length > 0 ? [404] : []),
    ...(body ? [413, 415] : []),
    ...(body || 'version' in query ? [422] : []),
    ...errors.map((code) => statusOf(code)),
  ]);
  return [...found].sort((a, b) => a - b);
}

function operation(path: string, endpoint: Endpoint): object {
  const { summary, need, scope, textId, body, query = {}, answer, gives, status } = endpoint;
  const names = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name!);
  const type = answer && isMedia(answer) ? answer.media : 'application/json';
  return {
    summary,
    ...(need !== 'anyone' && {
      'x-role': need,
      security: [{ session: [] }, ...(scope === null ? [] : [{ token: [scope] }])],
    }),
    parameters: [
      ...names.map((name) => ({
        name,
        in: 'path',
        required: true,
        schema: { type: name === 'name' || textId ? 'string' : 'integer' },
        description: name === 'number' ? 'number of the job' : `${name} as the list gives it`,
      })),
      ...Object.entries(query).map(([name, schema]) => {
        const { description, ...rest } = schema as { description?: string };
        return { name, in: 'query', required: name === 'version', schema: rest, description };
      }),
    ],
    ...(body && {
      requestBody: {
        required: true,
        content: isMedia(body)
          ? content(body.media, { type: 'string', contentEncoding: 'binary' })
          : content('application/json', schemaOf(body)),
      },
    }),
    responses: {
      [answer ? (status ?? 200) : 204]: {
        description: gives,
        ...(answer && { content: content(type, schemaOf(answer)) }),
      },
      ...Object.fromEntries(
        statusesOf(endpoint, names).map((code) => [code, { $ref: `#/components/responses/problem${code}` }]),
      ),
    },
  };
}

const paths: Record<string, Record<string, object>> = {};
for (const { method, path, endpoint } of ENDPOINTS)
  (paths[path] ??= {})[method.toLowerCase()] = operation(path, endpoint);

const PROBLEM = {
  type: 'object',
  required: ['type', 'title', 'status', 'detail'],
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
    code: { type: 'string' },
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
    // Neither is needed where nobody signs in (on one's own computer).
    securitySchemes: {
      session: { type: 'apiKey', in: 'cookie', name: '__Host-session' },
      token: { type: 'http', scheme: 'bearer' },
    },
    responses: Object.fromEntries(
      Object.entries(STATUSES).map(([status, description]) => [
        `problem${status}`,
        { description, content: content('application/problem+json', PROBLEM) },
      ]),
    ),
  },
};
