import { once } from 'node:events';
import { createServer, request, type Server } from 'node:http';
import { connect, type AddressInfo, type Socket } from 'node:net';
import { afterEach, describe, expect, it } from 'vitest';
import { boundConnections } from './connections';
import { networkOf } from '../../platform/network';

let server: Server;
const sockets: Socket[] = [];
afterEach(() => {
  for (const socket of sockets.splice(0)) socket.destroy();
  server.closeAllConnections();
  server.close();
});

async function listen(limits: Parameters<typeof boundConnections>[1]): Promise<number> {
  server = createServer((asked, answer) => {
    note(asked);
    answer.end('well');
  });
  const note = boundConnections(server, limits);
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  return (server.address() as AddressInfo).port;
}
/** Somebody who takes a place and says one byte. */
async function silent(port: number, localAddress: string): Promise<Socket> {
  const socket = connect({ port, host: '127.0.0.1', localAddress });
  socket.on('error', () => undefined);
  sockets.push(socket);
  await once(socket, 'connect');
  socket.write('G');
  return socket;
}
/** @returns the status; 0 where the connection was ended */
const ask = (port: number, localAddress: string): Promise<number> =>
  new Promise((done) => {
    const asked = request({ port, host: '127.0.0.1', localAddress, agent: false }, (response) => {
      response.resume();
      done(response.statusCode ?? 0);
    });
    asked.on('error', () => done(0));
    asked.end();
  });

describe('connections', () => {
  it('that say nothing keep nobody out, however many there are', async () => {
    const port = await listen({ most: 50, mostEach: 1000, unbounded: () => false });
    for (let i = 0; i < 120; i++) await silent(port, '127.0.0.9');
    for (const from of ['127.0.0.9', '127.0.0.1']) expect(await ask(port, from)).toBe(200);
    const count = await new Promise<number>((done) => server.getConnections((_, open) => done(open)));
    expect(count).toBeLessThanOrEqual(51);
  });

  it('of one address are bounded, and those of others are not', async () => {
    const port = await listen({ most: 1000, mostEach: 10, unbounded: (address) => address === '127.0.0.3' });
    for (let i = 0; i < 30; i++) for (const from of ['127.0.0.2', '127.0.0.3']) await silent(port, from);
    const open = await new Promise<number>((done) => server.getConnections((_, all) => done(all)));
    expect(open).toBe(40);
    for (const from of ['127.0.0.2', '127.0.0.3', '127.0.0.4']) expect(await ask(port, from)).toBe(200);
  });

  it('that asked something stay: whoever comes then is refused', async () => {
    const port = await listen({ most: 3, mostEach: 10, unbounded: () => false });
    const kept = await Promise.all([1, 2, 3].map(() => silent(port, '127.0.0.1')));
    for (const socket of kept) {
      socket.write('ET / HTTP/1.1\r\nhost: x\r\n\r\n');
      await once(socket, 'data');
    }
    expect(await ask(port, '127.0.0.2')).toBe(0);
    kept[0]!.destroy();
    await once(kept[0]!, 'close');
    await expect.poll(() => ask(port, '127.0.0.2')).toBe(200);
  });
});

describe('an address', () => {
  it.each([
    ['2001:db8:1:2:3:4:5:6', '2001:db8:1:2::/64'],
    ['2001:db8:1:2::9', '2001:db8:1:2::/64'],
    ['fe80::1%eth0', 'fe80:0:0:0::/64'],
    ['::1', '0:0:0:0::/64'],
    ['::ffff:10.0.0.5', '10.0.0.5'],
    ['10.0.0.5', '10.0.0.5'],
  ])('%s is counted as %s', (address, network) => {
    expect(networkOf(address)).toBe(network);
  });
});
