import { json, type RequestEvent, type RequestHandler } from '@sveltejs/kit';
import { BASE, CONTRACT, type Answer, type Body, type EndpointKey, type Params, type Query } from '$contract';
import { isDocument, isMedia, type Endpoint } from '$contract/endpoint';
import type { Person } from '$contract/people';
import { refuse } from '$contract/problems';
import { takeFirstCharacters, mendText } from '$core/wellFormed';
import { success, type Outcome, type Problem } from '$core/problem';
import { requester } from '../../platform/requester';
import { config } from '../../platform/settings/config';
import { faultOf } from '../../platform/validation/schemas';
import { existsJob } from '../../work/jobs/findJob';
import { readBody } from '../requestBody/readBody';
import { MAX_JSON, readRaw } from '../requestBody/readRaw';
import { numberIn } from './numberIn';
import { makeProblemResponse } from './problemResponse';

/** A request to an endpoint, checked against what the contract says of it. */
export interface EndpointRequest<K extends EndpointKey> {
  /** Parameters of the address; 0 where a number is missing. */
  params: Params<K>;
  /** The same as it was typed, shortly, for the sentence that says that it is not there. */
  typed: Record<keyof Params<K> & string, string>;
  query: NonNullable<Query<K>>;
  body: Body<K>;
  /** Person who is signed in, where the endpoint is about people. */
  person: Person;
  event: RequestEvent;
}

/** Result of a handler: its answer, a complete response, or a refusal. */
export type Handler<K extends EndpointKey> = (
  request: EndpointRequest<K>,
) => Promise<Outcome<Answer<K> | Response>>;
/** One that reads its body itself, beside the server's own thread. */
export interface BytesHandler<K extends EndpointKey> {
  onBytes: (
    bytes: Uint8Array,
    request: Omit<EndpointRequest<K>, 'body'>,
  ) => Promise<Outcome<Answer<K> | Response>>;
}
/** A handler for each endpoint of a part of the contract. */
export type HandlersOf<A> = { [K in keyof A & EndpointKey]: Handler<K> | BytesHandler<K> };

type AnyRequest = EndpointRequest<EndpointKey>;
type AnyHandler =
  | ((request: AnyRequest) => Promise<Outcome<unknown>>)
  | {
      onBytes: (bytes: Uint8Array, request: AnyRequest) => Promise<Outcome<unknown>>;
    };

/** A handler as SvelteKit calls it: what the request is made of is read and checked before, the answer after it. */
export const runEndpoint =
  (key: EndpointKey, handler: AnyHandler): RequestHandler =>
  async (event) => {
    const endpoint: Endpoint = CONTRACT[key];
    const outcome = await answerOf(endpoint, handler, event);
    if (!outcome.ok) {
      if (config().checkAnswers === 'on') checkRefusal(key, endpoint, outcome.problems);
      return makeProblemResponse(outcome.problems);
    }
    const response = responseOf(endpoint, outcome.value);
    if (config().checkAnswers === 'on') await checkAnswer(key, endpoint, response);
    return response;
  };

async function answerOf(
  endpoint: Endpoint,
  handler: AnyHandler,
  event: RequestEvent,
): Promise<Outcome<unknown>> {
  const typed = Object.fromEntries(
    Object.entries(event.params).map(([name, text]) => [name, takeFirstCharacters(mendText(text ?? ''), 40)]),
  );
  const params = Object.fromEntries(
    Object.entries(event.params).map(([name, text]) => [
      name,
      name === 'name' || endpoint.textId ? (text ?? '') : numberIn(text),
    ]),
  );
  if (endpoint.job && !(await existsJob(params['number'] as number)))
    return refuse('no-job', { number: typed['number']! });
  const request = {
    params,
    typed,
    query: queryOf(endpoint, event.url.searchParams),
    body: undefined,
    event,
  } as unknown as AnyRequest;
  if ('onBytes' in handler) {
    const bytes = await readRaw(event.request, 'application/json', MAX_JSON);
    return bytes.ok ? handler.onBytes(bytes.value, request) : bytes;
  }
  const body = await bodyOf(endpoint, event.request);
  if (!body.ok) return body;
  const { person } = requester();
  if (endpoint.person && !person) return refuse('nobody-signs-in');
  return handler({ ...request, body: body.value, person: person! } as AnyRequest);
}

async function bodyOf({ body, mostBytes }: Endpoint, request: Request): Promise<Outcome<unknown>> {
  if (!body) return success(undefined);
  return isMedia(body)
    ? readRaw(request, body.media, mostBytes ?? MAX_JSON)
    : readBody(request, body as never);
}

/** Parameters of the query; what makes no sense there counts as not said. */
function queryOf({ query = {} }: Endpoint, given: URLSearchParams): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(query).flatMap(([name, schema]) => {
      const text = given.get(name);
      if (text === null) return [];
      const value = (schema as { type?: string }).type === 'integer' ? Number(text) : text;
      return faultOf(schema, value) ? [] : [[name, value]];
    }),
  );
}

function responseOf({ answer, status, location }: Endpoint, value: unknown): Response {
  if (value instanceof Response) return value;
  if (!answer) return new Response(null, { status: 204 });
  const at = location?.replace(/\{(\w+)\}/g, (_, name: string) =>
    String((value as Record<string, unknown>)[name]),
  );
  return json(value, { status: status ?? 200, ...(at && { headers: { location: BASE + at } }) });
}

/** Codes that any endpoint may answer with: the form of a request, and what the server could not do now. */
const FOR_ALL = new Set(['bad-json', 'wrong-type', 'too-large', 'no-job']);

/** A refusal that the contract does not name for its endpoint is a defect, in tests and development. */
function checkRefusal(key: EndpointKey, { errors = [] }: Endpoint, problems: readonly Problem[]): void {
  for (const { code, refusal } of problems)
    if (refusal && !FOR_ALL.has(code) && !errors.some((known) => known === code))
      throw new Error(`the contract of ${key} names no refusal ${code}`);
}

/** An answer that is not of its shape is a defect, in tests and development. */
async function checkAnswer(
  key: EndpointKey,
  { answer, status }: Endpoint,
  response: Response,
): Promise<void> {
  if (!answer || isMedia(answer) || !response.body) return;
  const wanted = status ?? 200;
  const value: unknown = await response.clone().json();
  const fault = faultOf(isDocument(answer) ? answer.shape : answer, value);
  if (fault) throw new Error(`the answer of ${key} is not of its shape: ${fault.path} ${fault.message}`);
  if (response.ok && response.status !== wanted)
    throw new Error(`${key} answers ${response.status} instead of ${wanted}`);
}
