import { BlockList, isIP } from 'node:net';

const LOOPBACK = new BlockList();
LOOPBACK.addSubnet('127.0.0.0', 8, 'ipv4');
LOOPBACK.addAddress('::1', 'ipv6');

/** An address without the brackets of a URL, an IPv4 one that came in over IPv6 as itself. */
export const plainAddress = (address: string): string =>
  address.replace(/^\[|\]$/g, '').replace(/^::ffff:(?=\d+\.)/i, '');

/** Whether a name or address leads to this very machine and no other. */
export function isLoopback(host: string): boolean {
  const plain = plainAddress(host).toLowerCase();
  const family = isIP(plain);
  if (family === 0) return plain === 'localhost' || plain.endsWith('.localhost');
  return LOOPBACK.check(plain, family === 6 ? 'ipv6' : 'ipv4');
}

/** A name or address as it stands in a URL. */
export const urlHost = (host: string): string => (isIP(host) === 6 ? `[${host}]` : host.toLowerCase());
