import { isIPv6 } from 'node:net';
import { plainAddress } from './settings/loopback';

/** An address as it is counted: of IPv6 the network, of which one machine has as many addresses as it likes. */
export function networkOf(said: string): string {
  const address = plainAddress(said);
  if (!isIPv6(address)) return address;
  const [head = '', tail] = address.split('%')[0]!.split('::') as [string, string?];
  const groups = (text: string): string[] => (text === '' ? [] : text.split(':'));
  const before = groups(head);
  const after = tail === undefined ? [] : groups(tail);
  const zeros = tail === undefined ? 0 : 8 - before.length - after.length;
  const all = [...before, ...Array<string>(Math.max(0, zeros)).fill('0'), ...after];
  return `${all
    .slice(0, 4)
    .map((group) => parseInt(group, 16).toString(16))
    .join(':')}::/64`;
}
