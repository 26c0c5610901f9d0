import type { Cookies } from '@sveltejs/kit';
import { config } from '../platform/settings/config';
import { DEVICE_DAYS } from './devices';

/**
 * A browser takes a name with this beginning only over HTTPS, for the whole server, and from no other name in the
 * network.
 */
const name = (what: string): string => (config().encryption === 'none' ? what : `__Host-${what}`);
const DAY = 24 * 60 * 60;

const options = (days: number) => ({
  path: '/',
  httpOnly: true,
  secure: config().encryption !== 'none',
  // Lax: whoever follows the QR code on a sheet is signed in; nothing that changes anything answers to a link.
  sameSite: 'lax' as const,
  maxAge: days * DAY,
});

export const sessionOf = (cookies: Cookies): string | undefined => cookies.get(name('session'));
export const deviceOf = (cookies: Cookies): string | undefined => cookies.get(name('device'));

export const keepSession = (cookies: Cookies, token: string): void =>
  cookies.set(name('session'), token, options(config().sessionDays));
export const keepDevice = (cookies: Cookies, token: string): void =>
  cookies.set(name('device'), token, options(DEVICE_DAYS));
export const dropSession = (cookies: Cookies): void => cookies.delete(name('session'), options(0));
