import type { Config } from '../settings/config';
import { isIP } from 'node:net';
import { constraintsOf, issue, makeRoot, mayVouchFor, type Issued } from './authority';
import { findCertificateProblem, readOwn, seen, shortest } from './certificate';
import { keepIssued, leafFile, readIssued, rootFile } from './files';

/** A part of its time that a certificate has left when a new one is made: a third. */
const RENEW = 1 / 3;

/** Certificate that the server shows, with the remarks about it. */
export interface Credentials extends Issued {
  /** Sentences: what is wrong with it, or what it can't do. */
  problems: string[];
}

/**
 * The certificate to show now: one's own as it lies there, or one of the workshop's authority, made where there is
 * none, where it comes to its end, where the clock does not fit it, or where it is for other names.
 * @throws Error with a sentence where there can be none
 */
export async function credentials(config: Config, now: Date): Promise<Credentials> {
  if (config.encryption === 'own') {
    const own = readOwn(config);
    const wrong = findCertificateProblem(seen(own.certificate), now);
    return { ...own, problems: wrong ? [wrong] : [] };
  }
  const root = readIssued(rootFile(config)) ?? (await begin(config, now));
  const good = seen(root.certificate);
  if (now < good.from || now > good.until) {
    const [of, says] = [good.from.toISOString().slice(0, 10), now.toISOString().slice(0, 10)];
    throw new Error(
      now < good.from
        ? `The clock of this machine says ${says}, and the workshop’s authority was made on ${of}. Set the clock.`
        : `The workshop’s authority ran out on ${good.until.toISOString().slice(0, 10)}; the clock says ${says}. If the clock is right, remove ${rootFile(config)} to have a new one made, and install it on the tablets.`,
    );
  }
  const made = constraintsOf(root.certificate);
  const names = [...new Set([...config.known, 'localhost', '127.0.0.1', '::1'])];
  const can = names.filter((name) => mayVouchFor(made, name));
  const problems = names
    .filter((name) => !can.includes(name))
    // Addresses of the machine that lead out into the world are nobody's to be reached by here.
    .filter((name) => name === config.known[0] || !isIP(name))
    .map(
      (name) =>
        `The workshop’s authority can’t vouch for ${name}: it was made for names and addresses of a local network. Take a certificate of your own for it, or remove ${rootFile(config)} to have an authority made anew.`,
    );
  const kept = readIssued(leafFile(config));
  if (kept && fits(kept, root, can, now)) return { ...kept, problems };
  return { ...keepIssued(leafFile(config), await issue(root, can, now), { only: 'newest' }), problems };
}

/** A new authority, for the names that the server has now beside those of a local network. */
async function begin(config: Config, now: Date): Promise<Issued> {
  const names = config.known.filter((name) => !isIP(name));
  return keepIssued(rootFile(config), await makeRoot(names[0] ?? config.known[0]!, names, now), {
    only: 'new',
  });
}

function fits(kept: Issued, root: Issued, names: readonly string[], now: Date): boolean {
  const { names: has, from, until } = seen(kept.certificate);
  const left = until.getTime() - now.getTime();
  const rootLeft = seen(root.certificate).until.getTime() - until.getTime();
  return (
    kept.certificate.endsWith(root.certificate) &&
    now >= from &&
    // Near the root's own end there is nothing to be gained by a new one.
    (left > RENEW * (until.getTime() - from.getTime()) || (left > 0 && rootLeft < 1000)) &&
    names.length === has.length &&
    names.every((name) => has.includes(shortest(name)))
  );
}
