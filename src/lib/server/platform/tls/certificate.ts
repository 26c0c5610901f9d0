import { createPrivateKey, X509Certificate } from 'node:crypto';
import { isIP } from 'node:net';
import { existsSync, readFileSync } from 'node:fs';
import type { Config } from '../settings/config';
import type { Issued } from './authority';
import { leafFile, readIssued, rootFile } from './files';

/** A certificate as people ask about it. */
export interface Seen {
  /** Names and addresses that it is for. */
  names: string[];
  from: Date;
  until: Date;
  /** SHA-256 over the whole, in pairs of hexadecimal digits with colons. */
  fingerprint: string;
}

/** @param pem a certificate, or a chain with it first */
export function seen(pem: string): Seen {
  const certificate = new X509Certificate(pem);
  return {
    names: (certificate.subjectAltName ?? '')
      .split(', ')
      .map((name) => shortest(name.replace(/^(DNS|IP Address):/, '')))
      .filter((name) => name !== ''),
    from: new Date(certificate.validFrom),
    until: new Date(certificate.validTo),
    fingerprint: certificate.fingerprint256,
  };
}

/** An IPv6 address as people write it; anything else as it is. */
export const shortest = (name: string): string =>
  isIP(name) === 6 ? new URL(`http://[${name}]`).hostname.slice(1, -1) : name;

const day = (at: Date): string => at.toISOString().slice(0, 10);

/** Fault of a certificate by a clock, in a sentence; null: none. */
export function findCertificateProblem(
  { from, until }: Pick<Seen, 'from' | 'until'>,
  now: Date,
): string | null {
  if (now > until)
    return `The certificate ran out on ${day(until)}: browsers will not open this server. Put a new one in its place (nothing has to be started again); and see that the clock of this machine is right, which says ${day(now)}.`;
  if (now < from)
    return `The certificate is good from ${day(from)} on only, and the clock of this machine says ${day(now)}. Set the clock.`;
  return null;
}

/**
 * A certificate of one's own.
 * @throws Error with a sentence where its files can't be read, are none, or don't belong together
 */
export function readOwn({
  certificate,
  certificateKey,
}: Pick<Config, 'certificate' | 'certificateKey'>): Issued {
  const [pem, key] = [
    readText('GENTLE_TIDE_CERTIFICATE', certificate!),
    readText('GENTLE_TIDE_CERTIFICATE_KEY', certificateKey!),
  ];
  const parsed = tried(() => new X509Certificate(pem));
  if (!parsed)
    throw new Error(`GENTLE_TIDE_CERTIFICATE names ${certificate}, which holds no certificate (PEM).`);
  const secret = tried(() => createPrivateKey(key));
  if (!secret)
    throw new Error(
      `GENTLE_TIDE_CERTIFICATE_KEY names ${certificateKey}, which holds no private key (PEM, without a password).`,
    );
  if (!parsed.checkPrivateKey(secret))
    throw new Error(`The key in ${certificateKey} does not belong to the certificate in ${certificate}.`);
  return { certificate: pem, key };
}

function readText(setting: string, path: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch (error) {
    throw new Error(`${setting} names ${path}, which can’t be read: ${(error as Error).message}`, {
      cause: error,
    });
  }
}

function tried<T>(work: () => T): T | null {
  try {
    return work();
  } catch {
    return null;
  }
}

/** The certificate that browsers are shown; null: there is none here, or the proxy has it. */
export function showCertificate(config: Config): Seen | null {
  if (config.encryption === 'own')
    return existsSync(config.certificate!)
      ? tried(() => seen(readFileSync(config.certificate!, 'utf8')))
      : null;
  const issued = config.encryption === 'authority' ? readIssued(leafFile(config)) : null;
  return issued && seen(issued.certificate);
}

/** The root that tablets are to trust; null: the workshop has no authority of its own. */
export function showRoot(config: Config): (Seen & { der: Uint8Array }) | null {
  const issued = config.encryption === 'authority' ? readIssued(rootFile(config)) : null;
  return issued && { ...seen(issued.certificate), der: new X509Certificate(issued.certificate).raw };
}
