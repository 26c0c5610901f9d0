import type { RequestEvent } from '@sveltejs/kit';
import { requester } from '../platform/requester';
import { deviceOf } from './cookies';
import { findDevice } from './devices';
import type { SignInPlace } from './signIn';

/** Systems by the words of a browser's name, the first that fits. */
const KINDS: readonly [RegExp, string][] = [
  [/iPad/, 'iPad'],
  [/iPhone/, 'iPhone'],
  [/Android(?!.*Mobile)/, 'Android tablet'],
  [/Android/, 'Android phone'],
  [/CrOS/, 'Chromebook'],
  [/Windows/, 'Windows computer'],
  [/Macintosh/, 'Mac'],
  [/Linux/, 'Linux computer'],
];
const BROWSERS: readonly [RegExp, string][] = [
  [/Edg\//, 'Edge'],
  [/Firefox\//, 'Firefox'],
  [/Chrom(e|ium)\//, 'Chrome'],
  [/Safari\//, 'Safari'],
];

/** A device as the list of sessions calls it: what its browser says that it is, which nobody has to believe. */
export function deviceName(agent: string): string {
  const kind = KINDS.find(([fits]) => fits.test(agent))?.[1] ?? 'a device';
  const browser = BROWSERS.find(([fits]) => fits.test(agent))?.[1];
  return browser ? `${kind}, ${browser}` : kind;
}

/** Origin of a request, as far as it matters for signing in. */
export async function placeOf({ cookies, request }: RequestEvent): Promise<SignInPlace> {
  const token = deviceOf(cookies);
  return {
    device: token ? await findDevice(token) : null,
    name: deviceName(request.headers.get('user-agent') ?? ''),
    address: requester().from,
  };
}
