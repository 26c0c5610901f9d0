import { createServer, type IncomingMessage, type RequestListener, type ServerResponse } from 'node:http';
import { resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { log } from '../../platform/log';
import { readConfig, type Config } from '../../platform/settings/config';
import { isLoopback } from '../../platform/settings/loopback';
import { credentials } from '../../platform/tls/credentials';
import { findMisdirection, type KnownAddresses } from './addressed';
import { isFromProxy, isProxyAddress } from './client';
import { boundConnections } from './connections';
import { ENDING } from '../../platform/ending';
import { LOOK_AT_SLOW_MS, startSecureServer } from './secure';

/**
 * The server around the application that SvelteKit builds: who may ask, what every answer carries, and how it ends. It
 * is started by `node build/main.mjs` and told everything by the environment (settings/settings.ts).
 */

/** Milliseconds that what was begun may take once the server is to end: as long as the longest plan. */
const DRAIN_MS = 25_000;
/** Connections of one address at once: browsers open six to a server, and one more for each tab that watches. */
const MAX_OF_ADDRESS = 100;
/** Milliseconds between two looks at the certificate. */
const LOOK_MS = 60_000;

function give(sentences: readonly string[]): never {
  for (const sentence of sentences) console.error(`Error: ${sentence}`);
  process.exit(1);
}

const outcome = readConfig(process.env);
if (!outcome.ok) give(outcome.problems.map(({ message }) => message));
const config: Config = outcome.value;
const secure = config.encryption === 'own' || config.encryption === 'authority';
const told: KnownAddresses = {
  origin: config.originTold || config.encryption !== 'none' ? config.origin : undefined,
  host: config.host,
  port: config.port,
  known: config.known,
  secure,
};

const EVERYWHERE: Record<string, string> = {
  'x-content-type-options': 'nosniff',
  'x-frame-options': 'DENY',
  'referrer-policy': 'same-origin',
  'cross-origin-resource-policy': 'same-origin',
  'cross-origin-opener-policy': 'same-origin',
};
/** A year: once a browser knows the server over HTTPS, it asks it in no other way. */
const STRICT = 'max-age=31536000';

/** Methods that are handed on; the application refuses those that an address does not know. */
const METHODS = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']);
/**
 * What is answered without encryption as well: the page on which a tablet comes to trust the workshop's authority, and
 * what it is made of. No name begins with a dot or has anything encoded in it, so that none leads elsewhere.
 */
const IN_THE_OPEN = /^\/(trust(\/root\.crt)?|_app(\/[\w-][\w.-]*)+|favicon\.svg)$/;
/** Paths that a monitor beside the server asks, past the proxy. */
const FOR_MONITORS = new Set(['/healthz', '/readyz']);

// The application that SvelteKit builds is told by the environment as well.
const here = fileURLToPath(new URL('.', import.meta.url));
process.env['ORIGIN'] = config.origin;
// Bodies are bounded by the application itself, which answers with a problem document.
process.env['BODY_SIZE_LIMIT'] = 'Infinity';
process.env['GENTLE_TIDE_THREAD'] ??= resolve(here, 'thread.mjs');
process.env['GENTLE_TIDE_REHEARSE'] ??= resolve(here, 'rehearse.mjs');

let shown = secure
  ? await credentials(config, new Date()).catch((error: unknown) => give([(error as Error).message]))
  : null;

// Beside this file in the build; its import brings the database up to date.
const HANDLER = './handler.js';
const { handler } = (await import(/* @vite-ignore */ HANDLER)) as {
  handler: (request: IncomingMessage, response: ServerResponse, next: () => void) => void;
};

const answer: RequestListener = (request, response) => {
  noteAsked(request);
  for (const [name, value] of Object.entries(EVERYWHERE)) response.setHeader(name, value);
  const { host, origin } = request.headers;
  if (config.encryption === 'proxy' && !FOR_MONITORS.has(pathOf(request))) {
    if (!isFromProxy(config, request))
      return refuse(response, 403, 'Only the proxy of this server is answered here.');
    if (request.headers['x-forwarded-proto'] !== 'https') return sendOn(request, response);
  }
  const wrong = findMisdirection(told, { host, origin, localAddress: request.socket.localAddress });
  if (wrong) return refuse(response, wrong.status, wrong.detail);
  if (config.encryption !== 'none' && !isLoopback(nameIn(host)))
    response.setHeader('strict-transport-security', STRICT);
  if (!METHODS.has(request.method ?? '')) return refuse(response, 405, 'No address here knows this method.');
  if (ending) response.setHeader('connection', 'close');
  handler(request, response, () => refuse(response, 404, 'There is nothing here.'));
};

/** Plain HTTP where HTTPS is spoken: what it takes to trust this server, and a word on where to go. */
const answerPlain: RequestListener = (request, response) => {
  noteAsked(request);
  for (const [name, value] of Object.entries(EVERYWHERE)) response.setHeader(name, value);
  response.setHeader('connection', 'close');
  const { host, origin } = request.headers;
  const wrong = findMisdirection(
    { ...told, origin: undefined, secure: false },
    { host, origin, localAddress: request.socket.localAddress },
  );
  if (wrong) return refuse(response, wrong.status, `This server speaks HTTPS: ${config.origin}`);
  const reads = request.method === 'GET' || request.method === 'HEAD';
  if (reads && IN_THE_OPEN.test(pathOf(request))) {
    return handler(request, response, () => refuse(response, 404, 'There is nothing here.'));
  }
  if (reads) return sendOn(request, response, `https://${host}`);
  return refuse(response, 403, `This server takes nothing without encryption. Use ${config.origin}.`);
};

const pathOf = ({ url }: IncomingMessage): string => (url ?? '').split('?')[0] ?? '';
const nameIn = (host: string | undefined): string => (host ?? '').replace(/:\d+$/, '');

function sendOn(request: IncomingMessage, response: ServerResponse, origin = config.origin): void {
  const path = request.url?.startsWith('/') ? request.url : '/';
  response.writeHead(308, { location: `${origin}${path}`, connection: 'close' });
  response.end();
}

const TITLES: Record<number, string> = {
  405: 'Not possible here',
  403: 'Not from there',
  404: 'Not found',
  421: 'Not at this address',
};
function refuse(response: ServerResponse, status: number, detail: string): void {
  response.writeHead(status, { 'content-type': 'application/problem+json', connection: 'close' });
  response.end(JSON.stringify({ type: `/problems/${status}`, title: TITLES[status], status, detail }));
}

const encrypted = shown ? startSecureServer(shown, answer, answerPlain) : null;
const server = encrypted ?? createServer({ connectionsCheckingInterval: LOOK_AT_SLOW_MS }, answer);
server.headersTimeout = 20_000;
server.requestTimeout = 120_000;
server.keepAliveTimeout = 10_000;
const noteAsked = boundConnections(server, {
  most: config.connectionsIn,
  mostEach: MAX_OF_ADDRESS,
  unbounded: (address) => isLoopback(address) || isProxyAddress(config, address),
});

/** A certificate is changed while the server runs, before it ends or when somebody puts another one there. */
function watchCertificate(): void {
  const told = new Set<string>();
  const say = (sentences: readonly string[]): void => {
    for (const sentence of sentences) if (!told.has(sentence)) log.error(sentence);
    for (const sentence of sentences) told.add(sentence);
  };
  say(shown?.problems ?? []);
  setInterval(() => {
    credentials(config, new Date()).then(
      (now) => {
        if (now.certificate !== shown?.certificate) {
          encrypted?.setSecureContext({ cert: now.certificate, key: now.key, minVersion: 'TLSv1.2' });
          log.warn('The certificate was changed.');
        }
        shown = now;
        say(now.problems);
      },
      (error: unknown) => say([(error as Error).message]),
    );
  }, LOOK_MS).unref();
}
if (encrypted) watchCertificate();

let ending = false;
function end(): void {
  if (ending) return;
  ending = true;
  // Whoever watches would hold the server for as long as he listens.
  process.emit(ENDING as 'disconnect');
  const ended = (): void => {
    process.emit('sveltekit:shutdown' as 'disconnect');
    // The rest (connections to the database) closes by itself; nothing is worth a longer wait.
    setTimeout(() => process.exit(0), 1_000).unref();
  };
  server.close(ended);
  const sweep = setInterval(() => server.closeIdleConnections(), 100);
  sweep.unref();
  setTimeout(() => server.closeAllConnections(), DRAIN_MS).unref();
}
// Whoever started this process with a channel is gone: nobody else would end it.
process.once('disconnect', end);
process.channel?.unref();
process.on('SIGTERM', end);
process.on('SIGINT', end);

server.on('error', (error) =>
  give([`The server can’t listen on ${config.host}, port ${config.port}: ${error.message}`]),
);
server.listen(config.port, config.host, () =>
  log.info({ at: config.origin, encryption: config.encryption, signIn: config.signIn }, 'listening'),
);
