import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { misdirected, type Told } from './addressed';

/**
 * The server around the application that SvelteKit builds: who may ask, what every answer carries, and how it ends.
 * HOST, PORT and ORIGIN tell it where it is.
 */
const told: Told = {
  origin: process.env['ORIGIN'] || undefined,
  host: process.env['HOST'] ?? '127.0.0.1',
  port: Number(process.env['PORT'] ?? 8420),
};
/** Milliseconds that what was begun may take once the server is to end: as long as the longest plan. */
const DRAIN_MS = 25_000;

const EVERYWHERE: Record<string, string> = {
  'x-content-type-options': 'nosniff',
  'x-frame-options': 'DENY',
  'referrer-policy': 'same-origin',
  'cross-origin-resource-policy': 'same-origin',
  'cross-origin-opener-policy': 'same-origin',
};

/** What is handed on; the application answers those of them that an address does not know. */
const METHODS = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']);

// Beside this file in the build; its import brings the database up to date.
const HANDLER = './handler.js';
const { handler } = (await import(/* @vite-ignore */ HANDLER)) as {
  handler: (request: IncomingMessage, response: ServerResponse, next: () => void) => void;
};

const server = createServer((request, response) => {
  for (const [name, value] of Object.entries(EVERYWHERE)) response.setHeader(name, value);
  const { host, origin } = request.headers;
  const wrong = misdirected(told, { host, origin, localAddress: request.socket.localAddress });
  if (wrong) return refuse(response, wrong.status, wrong.detail);
  if (!METHODS.has(request.method ?? '')) return refuse(response, 405, 'No address here knows this method.');
  if (ending) response.setHeader('connection', 'close');
  handler(request, response, () => refuse(response, 404, 'There is nothing here.'));
});
server.headersTimeout = 20_000;
server.requestTimeout = 120_000;
server.keepAliveTimeout = 10_000;
server.maxConnections = 2_000;

function refuse(response: ServerResponse, status: number, detail: string): void {
  const titles: Record<number, string> = {
    405: 'Not possible here',
    403: 'Not from there',
    404: 'Not found',
    421: 'Not at this address',
  };
  response.writeHead(status, { 'content-type': 'application/problem+json', connection: 'close' });
  response.end(JSON.stringify({ type: `/problems/${status}`, title: titles[status], status, detail }));
}

let ending = false;
function end(): void {
  if (ending) return;
  ending = true;
  const ended = (): void => {
    process.emit('sveltekit:shutdown' as 'disconnect');
    // What is left then (connections to the database) closes by itself; nothing is worth waiting longer for.
    setTimeout(() => process.exit(0), 1_000).unref();
  };
  server.close(ended);
  const sweep = setInterval(() => server.closeIdleConnections(), 100);
  sweep.unref();
  setTimeout(() => server.closeAllConnections(), DRAIN_MS).unref();
}
process.on('SIGTERM', end);
process.on('SIGINT', end);

server.on('error', (error) => {
  console.error(`The server can’t listen on ${told.host}, port ${told.port}: ${error.message}`);
  process.exit(1);
});
server.listen(told.port, told.host);
