import type { IncomingMessage } from 'node:http';
import { describe, expect, it } from 'vitest';
import { isFromProxy, findClientAddress } from './client';

const asked = (remoteAddress: string, forwarded?: string | string[]) =>
  ({ socket: { remoteAddress }, headers: { 'x-forwarded-for': forwarded } }) as unknown as IncomingMessage;
const config = { proxies: ['127.0.0.1', '10.1.0.0/16', 'fd00::/8'] };
const from = (remote: string, forwarded?: string | string[]) =>
  findClientAddress(config, asked(remote, forwarded));

describe('where a request comes from', () => {
  it.each([
    ['192.168.7.4', undefined, '192.168.7.4'],
    ['::ffff:192.168.7.4', undefined, '192.168.7.4'],
    // Whoever asks directly is not believed, whatever he says.
    ['192.168.7.4', '10.0.0.1', '192.168.7.4'],
    ['127.0.0.1', '192.168.7.4', '192.168.7.4'],
    ['::ffff:127.0.0.1', '192.168.7.4', '192.168.7.4'],
    // The proxy adds to what it was told: only what it wrote itself counts.
    ['127.0.0.1', '6.6.6.6, 192.168.7.4', '192.168.7.4'],
    // A second one is believed by its own address; one of a range that holds it may be anybody.
    ['10.1.0.1', '6.6.6.6, 192.168.7.4, 127.0.0.1', '192.168.7.4'],
    ['127.0.0.1', '6.6.6.6, 192.168.7.4, 10.1.2.3', '10.1.2.3'],
    ['10.1.0.1', '6.6.6.6, 10.1.9.9', '10.1.9.9'],
    ['fd00::1', '192.168.7.4', '192.168.7.4'],
    ['127.0.0.1', ['6.6.6.6', '192.168.7.4'], '192.168.7.4'],
    // Nonsense is no address; what is left is the proxy itself.
    ['127.0.0.1', 'unknown', '127.0.0.1'],
    ['127.0.0.1', '192.168.7.4, <script>', '127.0.0.1'],
    ['127.0.0.1', undefined, '127.0.0.1'],
    ['127.0.0.1', ','.repeat(9000), '127.0.0.1'],
  ])('%s that says %s is %s', (remote, forwarded, address) => expect(from(remote, forwarded)).toBe(address));

  it('knows its proxies, and nobody else', () => {
    expect(isFromProxy(config, asked('10.1.255.255'))).toBe(true);
    expect(isFromProxy(config, asked('10.2.0.1'))).toBe(false);
    expect(isFromProxy({ proxies: [] }, asked('127.0.0.1'))).toBe(false);
  });
});
