import type { IncomingMessage } from 'node:http';
import type { Server, Socket } from 'node:net';
import { networkOf } from '../../platform/network';

interface Limits {
  /** Connections at once. */
  most: number;
  /** Connections of one address; of IPv6 one network. */
  mostEach: number;
  /** Whether an address may have as many as there are: this machine, and the proxy, through which everybody comes. */
  unbounded: (address: string) => boolean;
}

interface Connection {
  socket: Socket;
  from: string;
  /** Mark of one that asked something; before that it may be somebody who only takes the place. */
  asked: boolean;
}

const keyOf = ({ remoteAddress, remotePort }: Socket): string => `${remoteAddress} ${remotePort}`;

/**
 * Bounds connections, in all and by address. Where there are too many, the oldest goes that has asked nothing yet:
 * whoever opens thousands and says nothing keeps nobody out.
 * @returns notes that a connection asked something
 */
export function boundConnections(
  server: Server,
  { most, mostEach, unbounded }: Limits,
): (request: IncomingMessage) => void {
  /** In the order in which they came. */
  const all = new Map<string, Connection>();
  const counts = new Map<string, number>();
  const makeRoom = (among: (one: Connection) => boolean): boolean => {
    for (const one of all.values()) {
      if (one.asked || !among(one)) continue;
      one.socket.destroy();
      forget(one);
      return true;
    }
    return false;
  };
  const forget = ({ socket, from }: Connection): void => {
    if (!all.delete(keyOf(socket))) return;
    const left = counts.get(from)! - 1;
    if (left > 0) counts.set(from, left);
    else counts.delete(from);
  };
  server.prependListener('connection', (socket: Socket) => {
    const address = socket.remoteAddress ?? '';
    const from = networkOf(address);
    const own = counts.get(from) ?? 0;
    const fits =
      (own < mostEach || unbounded(address) || makeRoom((one) => one.from === from)) &&
      (all.size < most || makeRoom(() => true));
    if (!fits) return void socket.destroy();
    const one: Connection = { socket, from, asked: false };
    const key = keyOf(socket);
    all.set(key, one);
    counts.set(from, (counts.get(from) ?? 0) + 1);
    socket.once('close', () => {
      // Its number may be another's by now.
      if (all.get(key) === one) forget(one);
    });
  });
  return ({ socket }) => {
    const one = all.get(keyOf(socket));
    if (one) one.asked = true;
  };
}
