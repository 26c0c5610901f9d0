import { createServer as createPlain, type RequestListener } from 'node:http';
import { createServer, type Server } from 'node:https';
import type { Socket } from 'node:net';
import type { Issued } from '../../platform/tls/authority';

/** First byte of a TLS connection: a handshake record (RFC 8446, 5.1). */
const HANDSHAKE = 0x16;
/** Milliseconds until a connection has to say what it speaks, and until both have agreed on keys. */
const FIRST_WORD = 5_000;
const HANDSHAKE_MS = 10_000;
/** Milliseconds between two looks at connections that send too slowly. */
export const LOOK_AT_SLOW_MS = 5_000;

/**
 * A server for HTTPS that hears plain HTTP on the same port as well, since that is what browsers speak to `bench:8420`:
 * `plain` answers it, and sends people on.
 */
export function startSecureServer(
  { certificate, key }: Issued,
  listener: RequestListener,
  plain: RequestListener,
): Server {
  const server = createServer(
    {
      cert: certificate,
      key,
      minVersion: 'TLSv1.2',
      handshakeTimeout: HANDSHAKE_MS,
      connectionsCheckingInterval: LOOK_AT_SLOW_MS,
    },
    listener,
  );
  const other = createPlain(
    {
      keepAliveTimeout: 1,
      requestTimeout: 10_000,
      headersTimeout: 10_000,
      connectionsCheckingInterval: LOOK_AT_SLOW_MS,
    },
    plain,
  );
  // Its own clock for slow senders begins with this event, and it listens nowhere itself.
  server.once('listening', () => other.emit('listening'));
  const greets = server.listeners('connection') as ((this: Server, socket: Socket) => void)[];
  server.removeAllListeners('connection');
  server.on('connection', (socket: Socket) => {
    const drop = (): void => void socket.destroy();
    socket.setTimeout(FIRST_WORD, drop);
    socket.once('error', drop);
    socket.once('data', (bytes: Buffer) => {
      socket.pause();
      socket.setTimeout(0);
      socket.off('timeout', drop);
      socket.off('error', drop);
      socket.unshift(bytes);
      if (bytes[0] === HANDSHAKE) for (const greet of greets) greet.call(server, socket);
      else other.emit('connection', socket);
      process.nextTick(() => socket.resume());
    });
  });
  // Whoever breaks off a handshake, or does not trust the certificate, is no event of this server.
  server.on('tlsClientError', (_, socket) => socket.destroy());
  return server;
}
