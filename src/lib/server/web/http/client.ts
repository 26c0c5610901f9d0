import type { IncomingMessage } from 'node:http';
import { isIP } from 'node:net';
import type { Config } from '../../platform/settings/config';
import { plainAddress } from '../../platform/settings/loopback';
import { blockOf } from '../../platform/settings/settings';

type Proxied = Pick<Config, 'proxies'>;
const blocks = new WeakMap<readonly string[], ReturnType<typeof blockOf>>();

/** Whether an address is the proxy's, or in a range in which it is. */
export function isProxyAddress({ proxies }: Proxied, said: string): boolean {
  const address = plainAddress(said);
  let block = blocks.get(proxies);
  if (!block) blocks.set(proxies, (block = blockOf(proxies)));
  const family = isIP(address);
  return family !== 0 && block.check(address, family === 6 ? 'ipv6' : 'ipv4');
}

const remote = ({ socket }: Pick<IncomingMessage, 'socket'>): string =>
  plainAddress(socket.remoteAddress ?? '');

/** Whether a request came through the proxy that is named in the settings. */
export const isFromProxy = (config: Proxied, request: Pick<IncomingMessage, 'socket'>): boolean =>
  isProxyAddress(config, remote(request));

/**
 * The address that a request comes from. What a proxy forwards is believed from the end on, as far as those who wrote
 * it are proxies of the settings: everything before that may have been made up by whoever asked. A range says where the
 * proxy may be; those in it who ask through the proxy are no proxies, so only addresses that are named one by one count
 * as further ones.
 */
export function findClientAddress(
  config: Proxied,
  request: Pick<IncomingMessage, 'socket' | 'headers'>,
): string {
  const direct = remote(request);
  if (!isProxyAddress(config, direct)) return direct;
  const said = request.headers['x-forwarded-for'];
  const chain = (Array.isArray(said) ? said.join(',') : (said ?? ''))
    .slice(-2000)
    .split(',')
    .map((part) => plainAddress(part.trim()))
    .filter((part) => part !== '');
  for (const address of chain.reverse()) {
    if (isIP(address) === 0) break;
    if (!config.proxies.includes(address)) return address;
  }
  return direct;
}
