import type { RequestHandler } from '@sveltejs/kit';
import { CONTRACT, type Contract, type EndpointKey, type EndpointPath } from '$contract';
import { DRAWING_HANDLERS } from './handlers/drawings';
import { GOAL_HANDLERS } from './handlers/goals';
import { IMAGE_HANDLERS } from './handlers/images';
import { JOB_HANDLERS } from './handlers/jobs';
import { PEOPLE_HANDLERS } from './handlers/people';
import { REHEARSAL_HANDLERS } from './handlers/rehearsals';
import { SERVER_HANDLERS } from './handlers/server';
import { SHEET_HANDLERS } from './handlers/sheets';
import { SURVEY_HANDLERS } from './handlers/surveys';
import { WORKSHOP_HANDLERS } from './handlers/workshop';
import { runEndpoint, type HandlersOf } from './runner/endpoint';

/** Handler of each endpoint; a missing one does not compile. */
const HANDLERS: HandlersOf<Contract> = {
  ...JOB_HANDLERS,
  ...SURVEY_HANDLERS,
  ...GOAL_HANDLERS,
  ...DRAWING_HANDLERS,
  ...SHEET_HANDLERS,
  ...REHEARSAL_HANDLERS,
  ...IMAGE_HANDLERS,
  ...PEOPLE_HANDLERS,
  ...WORKSHOP_HANDLERS,
  ...SERVER_HANDLERS,
};

type MethodsOf<P extends EndpointPath> = EndpointKey extends infer K
  ? K extends `${infer M} ${P}`
    ? M
    : never
  : never;

/**
 * The methods of a path, as a `+server.ts` exports them. `HEAD` is that of `GET`, for where nothing but the head is to
 * be made; elsewhere SvelteKit leaves the body of `GET` out by itself.
 */
export function serve<P extends EndpointPath>(path: P): Record<MethodsOf<P> | 'HEAD', RequestHandler> {
  const methods = Object.keys(CONTRACT)
    .filter((key) => key.endsWith(` ${path}`))
    .map((key): [string, RequestHandler] => [
      key.split(' ')[0]!,
      runEndpoint(key as EndpointKey, HANDLERS[key as EndpointKey] as never),
    ]);
  const served = Object.fromEntries(methods);
  return { ...served, HEAD: served['GET'] } as Record<MethodsOf<P> | 'HEAD', RequestHandler>;
}
