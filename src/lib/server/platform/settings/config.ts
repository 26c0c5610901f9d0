import { hostname, networkInterfaces } from 'node:os';
import { isIP } from 'node:net';
import { join, resolve } from 'node:path';
import { failure, success, type Outcome, type Problem } from '$core/problem';
import { isLoopback, urlHost } from './loopback';
import { SETTINGS, type SettingName, type SettingValues } from './settings';

/** Encryption on the way: none, by a certificate, or by the proxy in front. */
export type Encryption = 'none' | 'own' | 'authority' | 'proxy';

/** Settings of the server, checked, with what follows from them. */
export interface Config extends Omit<
  SettingValues,
  'images' | 'rehearsals' | 'keyFile' | 'data' | 'origin' | 'signIn'
> {
  encryption: Encryption;
  /** Whether people sign in. Without it everybody is the owner: it is one's own computer. */
  signIn: boolean;
  /** The address that people use, without a slash at its end. */
  origin: string;
  /** Somebody said so, rather than it being guessed from the machine. */
  originTold: boolean;
  /** Names and addresses that this server is known by, the one of `origin` first. */
  known: readonly string[];
  /** Absolute paths. */
  data: string;
  images: string;
  rehearsals: string;
  keyFile: string;
  backups: string;
}

/** Name of a machine, as it says itself. */
export interface HostMachine {
  name: string;
  /** Addresses of its network cards, loopback left out. */
  addresses: readonly string[];
}

export const thisMachine = (): HostMachine => ({
  name: hostname().toLowerCase(),
  addresses: Object.values(networkInterfaces())
    .flatMap((cards) => cards ?? [])
    .filter(({ internal, scopeid }) => !internal && !scopeid)
    .map(({ address }) => address),
});

const WILDCARDS = ['0.0.0.0', '::', '[::]'];

/**
 * Reads every setting and holds them against each other.
 * @returns what is wrong, each with the setting's name as path and a sentence that says what to do
 */
export function readConfig(env: NodeJS.ProcessEnv, machine: HostMachine = thisMachine()): Outcome<Config> {
  const problems: Problem[] = [];
  const say = (name: SettingName, why: string): void => {
    const path = `/${SETTINGS[name].name}`;
    problems.push({ code: 'setting', path, message: `${SETTINGS[name].name} ${why}.` });
  };
  const values = Object.fromEntries(
    Object.entries(SETTINGS).map(([key, { name, initial, read }]) => {
      // An empty variable is how many a unit file says that there is none.
      const outcome = read(env[name] ? env[name] : initial);
      if (outcome.ok) return [key, outcome.value];
      say(key as SettingName, outcome.why);
      return [key, null];
    }),
  ) as unknown as SettingValues;
  if (problems.length > 0) return failure(...problems);

  const { host, port, origin, certificate, certificateKey, proxies } = values;
  const outside = !isLoopback(host);
  const far = origin !== null && !isLoopback(origin.hostname);
  const beyond = outside || far;
  const encryption: Encryption =
    proxies.length > 0 ? 'proxy' : certificate !== null ? 'own' : outside ? 'authority' : 'none';
  if (origin && (origin.pathname !== '/' || origin.search || origin.hash || origin.username)) {
    say('origin', 'has to end with the port: there is nothing beside scheme, name and port');
  }
  if ((certificate === null) !== (certificateKey === null)) {
    say(
      certificate === null ? 'certificate' : 'certificateKey',
      'is missing: a certificate and its key belong together',
    );
  }
  if (proxies.length > 0 && certificate !== null) {
    say('proxies', 'names a proxy, which has the certificate; GENTLE_TIDE_CERTIFICATE is then one too many');
  }
  if (encryption === 'proxy' && origin?.protocol !== 'https:') {
    say('origin', 'has to be the https address that the proxy answers to');
  }
  if (beyond && origin && origin.protocol !== 'https:') {
    say(
      'origin',
      `is ${origin.origin}. Beyond this machine Gentle Tide is reached by https only: say https://${origin.host}`,
    );
  } else if (far && !outside && encryption === 'none') {
    say(
      'proxies',
      `is missing: ORIGIN is ${origin.origin}, yet the server listens on ${host} alone. Name the address of the proxy that answers there, or let HOST be 0.0.0.0`,
    );
  }
  if (problems.length > 0) return failure(...problems);

  const data = resolve(values.data ?? '.local');
  const scheme = encryption === 'none' ? 'http' : 'https';
  const own = WILDCARDS.includes(host) ? (values.names[0] ?? machine.addresses[0] ?? machine.name) : host;
  const address = origin?.origin ?? `${scheme}://${urlHost(own)}:${port}`;
  const everywhere = WILDCARDS.includes(host)
    ? [machine.name, `${plainName(machine.name)}.local`, ...machine.addresses]
    : [host];
  const known = [
    new URL(address).hostname.replace(/^\[|\]$/g, ''),
    ...values.names,
    ...(outside ? everywhere : []),
  ];
  return success({
    ...values,
    encryption,
    signIn: values.signIn === 'on' || beyond || encryption === 'proxy',
    origin: address,
    originTold: origin !== null,
    known: [...new Set(known.filter((name) => name !== ''))],
    data,
    images: resolve(values.images ?? join(data, 'images')),
    rehearsals: resolve(values.rehearsals ?? join(data, 'rehearsals')),
    keyFile: resolve(values.keyFile ?? join(data, 'bench-key.json')),
    backups: join(data, 'backups'),
  });
}

const plainName = (name: string): string => (isIP(name) ? name : (name.split('.')[0] ?? name));

let read: Config | null = null;

/**
 * The settings of this process, read once.
 * @throws Error with every sentence where they can't be used
 */
export function config(): Config {
  if (read) return read;
  const outcome = readConfig(process.env);
  if (!outcome.ok) throw new Error(outcome.problems.map(({ message }) => message).join('\n'));
  return (read = outcome.value);
}

/** Address of the database that the server works with. @throws Error where none is set */
export function databaseUrl(): string {
  const url = config().databaseUrl;
  if (!url)
    throw new Error('DATABASE_URL is not set. Start Gentle Tide with ./start, or give it a MariaDB address.');
  return url.href;
}

/** The same by the account that may change tables. */
export const migrationUrl = (): string => config().migrationUrl?.href ?? databaseUrl();

/**
 * The bundles that threads run, which the server around the application names for it; undefined: the work is done at
 * once.
 */
export const threadBundle = (): string | undefined => process.env['GENTLE_TIDE_THREAD'];
export const rehearsalBundle = (): string | undefined => process.env['GENTLE_TIDE_REHEARSE'];

/** For tests that change the environment: the next look reads it again. */
export function forgetConfig(): void {
  read = null;
}
