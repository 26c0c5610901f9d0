import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { makeFreshFolder } from '$core/executor/test/mounted';
import { issue, makeRoot, mayVouchFor } from './authority';

/** OpenSSL, which shares nothing with the package that makes the certificates, says what it takes. */
const folder = makeFreshFolder('authority');
const DAY = 86_400_000;
const now = new Date();

/** What OpenSSL says of a certificate for a name, as a client of it would ask. */
function verified(root: string, leaf: string, name: string, at: Date = now): string {
  const [rootFile, leafFile] = [join(folder, 'root.pem'), join(folder, 'leaf.pem')];
  writeFileSync(rootFile, root);
  writeFileSync(leafFile, leaf);
  const asked = /^[\d.]+$|:/.test(name) ? ['-verify_ip', name] : ['-verify_hostname', name];
  try {
    return execFileSync(
      'openssl',
      [
        'verify',
        '-x509_strict',
        '-purpose',
        'sslserver',
        '-attime',
        String(Math.floor(at.getTime() / 1000)),
        ...asked,
        '-CAfile',
        rootFile,
        leafFile,
      ],
      { encoding: 'utf8', stdio: 'pipe' },
    ).trim();
  } catch (error) {
    return (error as { stderr: string }).stderr;
  }
}

describe('the workshop’s authority', async () => {
  const root = await makeRoot('corner', ['corner', 'bench.example'], now);

  it.each([
    'corner.local',
    'corner',
    'bench.example',
    'shop.bench.example',
    '192.168.7.20',
    '10.1.2.3',
    'fd00::7',
    'localhost',
    '::1',
  ])('vouches for %s, and OpenSSL takes it', async (name) => {
    expect(mayVouchFor(['corner', 'bench.example'], name)).toBe(true);
    const leaf = await issue(root, [name], now);
    expect(verified(root.certificate, leaf.certificate, name)).toMatch(/: OK$/);
  });

  it.each([
    'example.com',
    'evil-bench.example',
    'bench.example.com',
    '203.0.113.7',
    '11.0.0.1',
    '2001:db8::1',
  ])('can’t vouch for %s: OpenSSL refuses what its key signs for it', async (name) => {
    expect(mayVouchFor(['corner', 'bench.example'], name)).toBe(false);
    const leaf = await issue(root, [name], now);
    expect(verified(root.certificate, leaf.certificate, name)).toMatch(/permitted subtree violation/);
  });

  it('is good for one name only where it was made for one', async () => {
    const leaf = await issue(root, ['corner.local'], now);
    expect(verified(root.certificate, leaf.certificate, 'corner')).toMatch(/hostname mismatch/);
  });

  it('begins early enough for clocks that are late, and ends', async () => {
    const leaf = await issue(root, ['corner.local'], now);
    const at = (days: number) =>
      verified(root.certificate, leaf.certificate, 'corner.local', new Date(now.getTime() + days * DAY));
    expect(at(-1)).toMatch(/OK$/);
    expect(at(89)).toMatch(/OK$/);
    expect(at(91)).toMatch(/expired/);
    expect(at(-3)).toMatch(/not yet valid/);
  });

  it('signs no further authority', async () => {
    const other = await makeRoot('other', [], now);
    const leaf = await issue({ certificate: root.certificate, key: other.key }, ['corner.local'], now);
    expect(verified(root.certificate, leaf.certificate, 'corner.local')).toMatch(/error/);
  });
});
