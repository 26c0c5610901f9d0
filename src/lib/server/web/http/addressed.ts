import { plainAddress, urlHost } from '../../platform/settings/loopback';

/** Settings about a server's address. */
export interface KnownAddresses {
  /** The address that people type, where somebody said it: `http://bench.shop:8420`. */
  origin: string | undefined;
  /** Host that it listens on: a name, an address, or a wildcard for all addresses of the machine. */
  host: string;
  port: number;
  /** Further names and addresses that it goes by. */
  known?: readonly string[];
  /** Whether it speaks TLS itself. */
  secure?: boolean;
}

/** Headers of a request about its host and its origin. */
export interface Addressed {
  host: string | undefined;
  origin: string | undefined;
  /** The address of this machine that the connection came to. */
  localAddress: string | undefined;
}

export interface Misdirected {
  status: 421 | 403;
  detail: string;
}

const LOOPBACK = ['localhost', '127.0.0.1', '[::1]'];
const WILDCARDS = ['0.0.0.0', '::', '[::]', ''];

/**
 * Whether a request is meant for this server. A page elsewhere can let its own name point to a machine in this network
 * and have a browser ask it (DNS rebinding); the name that it asks by gives it away. null: it is meant for this server.
 */
export function findMisdirection(
  told: KnownAddresses,
  { host, origin, localAddress }: Addressed,
): Misdirected | null {
  const asked = parse(`${told.secure ? 'https' : 'http'}://${host ?? ''}`);
  if (!host || !asked || !isOurs(told, asked, localAddress)) {
    const shown = host === undefined ? 'no name at all' : `“${host.slice(0, 100)}”`;
    return {
      status: 421,
      detail: `This server is not called ${shown}. If it should be, start it with ${told.secure ? 'GENTLE_TIDE_NAMES=NAME' : 'ORIGIN=http://NAME:PORT'}.`,
    };
  }
  if (origin === undefined) return null;
  const from = parse(origin);
  const same =
    (from?.host === asked.host && from.protocol === asked.protocol) ||
    (told.origin !== undefined && origin === parse(told.origin)?.origin);
  if (from && same) return null;
  return { status: 403, detail: 'A page from elsewhere may not ask this server for anything.' };
}

function isOurs(
  { origin, host, port, known = [], secure = false }: KnownAddresses,
  asked: URL,
  localAddress: string | undefined,
): boolean {
  const told = origin === undefined ? null : parse(origin);
  if (told && asked.host === told.host) return true;
  if (Number(asked.port || (secure ? 443 : 80)) !== port) return false;
  const name = asked.hostname;
  if (known.some((one) => name === urlHost(one))) return true;
  if (LOOPBACK.includes(name) || name === urlHost(host)) return true;
  // A server that listens everywhere accepts the address at which the request arrived: no name points there.
  return (
    WILDCARDS.includes(host) && localAddress !== undefined && name === urlHost(plainAddress(localAddress))
  );
}

function parse(text: string): URL | null {
  const url = URL.canParse(text) ? new URL(text) : null;
  // Anything beside a host and a port is no header of a browser.
  return url && url.pathname === '/' && url.search === '' && url.username === '' && url.hash === ''
    ? url
    : null;
}
