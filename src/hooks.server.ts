import {
  redirect,
  type Handle,
  type HandleServerError,
  type RequestEvent,
  type ServerInit,
} from '@sveltejs/kit';
import { entryOf, refuse } from '$contract/problems';
import { removeLeftStages } from '$lib/server/store/backup/staging';
import { closeDatabase } from '$lib/server/store/database/database';
import { loadDemoData } from '$lib/server/demo/load';
import { throwAway } from '$lib/server/web/requestBody/readBytes';
import { findExpectedFailure, type Failure } from '$lib/server/web/runner/failure';
import { forgetUploads } from '$lib/server/work/images/uploads';
import { findClientAddress } from '$lib/server/web/http/client';
import { log } from '$lib/server/platform/log';
import { dumpBeforeMigration, migrate } from '$lib/server/store/migrate/migrate';
import { counted, requestId } from '$lib/server/web/monitor/requests';
import { sessionOf } from '$lib/server/people/cookies';
import { inviteFirstOwner } from '$lib/server/people/firstOwner';
import { admit, isFromOwnPage, type Admitted } from '$lib/server/web/gate/gate';
import { startSweeping } from '$lib/server/people/sweep';
import { makeProblemResponse } from '$lib/server/web/runner/problemResponse';
import { RehearsalSupervisor } from '$lib/server/work/rehearsals/supervisor';
import { runForRequester, NOBODY, PERSON_COOKIE } from '$lib/server/platform/requester';
import { warmUp } from '$lib/server/platform/validation/schemas';
import { config } from '$lib/server/platform/settings/config';
import { warmThreads } from '$lib/server/platform/threads/runInWorker';

/** The database is brought up to date before the first request; a server that can't do that does not start. */
export const init: ServerInit = async () => {
  warmUp();
  await migrate({
    before: dumpBeforeMigration,
    more: async () => {
      if (config().demo === '1') await loadDemoData();
      if (config().signIn) await inviteFirstOwner();
    },
  });
  warmThreads();
  // Of a backup or restore that was killed: they hold the workshop's keys.
  for (const folder of [config().data, config().backups]) await removeLeftStages(folder);
  await forgetUploads();
  const supervisor = new RehearsalSupervisor();
  supervisor.start();
  const swept = startSweeping();
  process.on('sveltekit:shutdown', () => {
    swept();
    void supervisor.stop().finally(closeDatabase);
  });
};

export const handle: Handle = async (input) => {
  const { event } = input;
  const id = requestId();
  event.locals.requestId = id;
  const response = await counted(event, () => answerTo(input));
  if (!(await throwAway(event.request))) response.headers.set('connection', 'close');
  response.headers.set('x-request-id', id);
  return response;
};

/** Programs get problem documents for everything that goes wrong, unknown addresses included. */
const answerTo: Handle = async ({ event, resolve }) => {
  const forPrograms = /^\/(api|schemas|metrics|readyz|healthz)(\/|$)/.test(event.url.pathname);
  const { gone, answered } = leaving(event);
  const admitted = await admission(event, gone).catch((error: unknown) => ({
    failure: findExpectedFailure(error),
    error,
  }));
  if ('error' in admitted) {
    answered();
    if (!admitted.failure) log.error({ err: admitted.error }, 'admission');
    return failureResponse(admitted.failure ?? DEFECT);
  }
  if (!admitted.ok) {
    answered();
    const refused = makeProblemResponse(admitted.refused.problems);
    return forPrograms ? noStore(refused) : sendElsewhere(event, refused.status);
  }
  const response = await runForRequester(admitted.requester, async () => resolve(event)).finally(answered);
  if (forPrograms) response.headers.set('cache-control', 'no-store');
  if (response.status < 400 || response.headers.get('content-type')?.includes('problem+json'))
    return response;
  const { failure } = event.locals;
  if (failure) return forPrograms ? failureResponse(failure) : withStatus(response, failure);
  return forPrograms ? makeProblemResponse(unknownAddress(event, response.status).problems) : response;
};

const DEFECT: Failure = { problem: refuse('defect').problems[0]!, retryAfter: null, log: '' };

/** What is answered where no endpoint did. */
function unknownAddress({ request: { method }, url }: RequestEvent, status: number) {
  const path = url.pathname.slice(0, 200);
  switch (status) {
    case 400:
      return refuse('bad-address');
    case 404:
      return refuse('no-address', { path });
    case 405:
      return refuse('no-method', { method, path });
    default:
      return refuse('defect');
  }
}

/** The requester, with the decision. */
async function admission(event: RequestEvent, gone: AbortSignal | null): Promise<Admitted> {
  const { request, cookies, route, locals } = event;
  const { method, headers } = request;
  const requestOfNode = event.platform?.req;
  const address = requestOfNode ? findClientAddress(config(), requestOfNode) : event.getClientAddress();
  const session = sessionOf(cookies);
  if (config().signIn && session !== undefined && !isFromOwnPage(method, headers)) {
    const requester = { ...NOBODY, id: locals.requestId, from: address };
    return { ok: false, refused: refuse('foreign-page'), requester };
  }
  return admit({
    route: route.id,
    method,
    session,
    said: cookies.get(PERSON_COOKIE),
    authorization: headers.get('authorization'),
    address,
    id: locals.requestId,
    gone,
  });
}

/**
 * A page that somebody has to sign in for leads there, and from there back; one that is not for them to what is theirs.
 */
function sendElsewhere({ url }: RequestEvent, status: number): never {
  if (status === 403) redirect(303, `/me?refused=${encodeURIComponent(url.pathname.slice(0, 200))}`);
  const wanted =
    url.pathname === '/' ? '' : `?to=${encodeURIComponent((url.pathname + url.search).slice(0, 1000))}`;
  redirect(303, `/sign-in${wanted}`);
}

function noStore(response: Response): Response {
  response.headers.set('cache-control', 'no-store');
  return response;
}

const failureResponse = (failure: Failure): Response =>
  withStatus(makeProblemResponse([failure.problem]), failure);

/** The same answer with the status of what failed, and with when it is worth another try. */
function withStatus(response: Response, { problem, retryAfter }: Failure): Response {
  const headers = new Headers(response.headers);
  headers.set('cache-control', 'no-store');
  if (retryAfter !== null) headers.set('retry-after', String(retryAfter));
  return new Response(response.body, { status: entryOf(problem)!.status, headers });
}

/** Aborted once whoever asked is gone: the connection ended before there was an answer. */
function leaving({ platform }: RequestEvent): { gone: AbortSignal | null; answered: () => void } {
  const socket = platform?.req.socket;
  if (!socket) return { gone: null, answered: () => undefined };
  const controller = new AbortController();
  const leave = (): void => controller.abort();
  socket.once('close', leave);
  // A connection that lives on for the next request must not gather listeners.
  return { gone: controller.signal, answered: () => void socket.off('close', leave) };
}

export const handleError: HandleServerError = ({ error, status, event }) => {
  const { requestId } = event.locals;
  if (status === 404) return { message: 'There is no such page.', hint: 'Go back to the list of jobs.' };
  if (status < 500) return { message: 'This address can’t be read.', hint: 'Go back to the list of jobs.' };
  const failure = findExpectedFailure(error);
  if (failure) {
    event.locals.failure = failure;
    if (failure.log)
      log.warn({ method: event.request.method, path: event.url.pathname, request: requestId }, failure.log);
    const { problem, retryAfter } = failure;
    return {
      message: problem.message,
      hint: retryAfter ? 'Nothing was saved.' : '',
      status: entryOf(problem)!.status,
    };
  }
  log.error(
    { err: error, method: event.request.method, path: event.url.pathname, request: requestId },
    'a defect',
  );
  return {
    message: 'Something went wrong on the server.',
    hint: `Nothing was saved. Try again; the server’s log says more, at request ${requestId}.`,
  };
};
