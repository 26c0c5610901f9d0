import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { makeFreshFolder } from '$core/executor/test/mounted';
import { readConfig, type Config } from '../settings/config';
import { seen } from './certificate';
import { credentials } from './credentials';
import { leafFile, rootFile } from './files';

const DAY = 86_400_000;
const now = new Date();
const later = (days: number): Date => new Date(now.getTime() + days * DAY);
const machine = { name: 'corner', addresses: ['192.168.7.20'] };

function configOf(env: NodeJS.ProcessEnv, data = makeFreshFolder('tls')): Config {
  const outcome = readConfig({ HOST: '0.0.0.0', GENTLE_TIDE_DATA: data, ...env }, machine);
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
}

describe('the certificate of the workshop’s authority', () => {
  it('is made once, kept, and made anew before it ends; the root stays', async () => {
    const config = configOf({});
    const first = await credentials(config, now);
    expect(first.problems).toEqual([]);
    expect(seen(first.certificate).names).toEqual([
      '192.168.7.20',
      'corner',
      'corner.local',
      'localhost',
      '127.0.0.1',
      '::1',
    ]);
    expect((await credentials(config, later(50))).certificate).toBe(first.certificate);
    const root = readFileSync(rootFile(config), 'utf8');
    const renewed = await credentials(config, later(61));
    expect(renewed.certificate).not.toBe(first.certificate);
    expect(seen(renewed.certificate).until > later(140)).toBe(true);
    expect(readFileSync(rootFile(config), 'utf8')).toBe(root);
  });

  it('is made anew where the machine goes by other names', async () => {
    const config = configOf({});
    const first = await credentials(config, now);
    const moved = { ...config, known: ['192.168.7.99', 'corner'] };
    const second = await credentials(moved, now);
    expect(second.certificate).not.toBe(first.certificate);
    expect(seen(second.certificate).names).toContain('192.168.7.99');
  });

  it('says which name it can’t vouch for, and vouches for the others', async () => {
    const config = configOf({});
    await credentials(config, now);
    const renamed = { ...config, known: ['bench.example', ...config.known] };
    const { problems, certificate } = await credentials(renamed, now);
    expect(problems).toEqual([expect.stringMatching(/can’t vouch for bench\.example/)]);
    expect(seen(certificate).names).not.toContain('bench.example');
  });

  it('is the same for servers that begin at once', async () => {
    const config = configOf({});
    const all = await Promise.all([1, 2, 3, 4].map(() => credentials(config, now)));
    const root = JSON.parse(readFileSync(rootFile(config), 'utf8')) as { certificate: string };
    for (const { certificate } of all) expect(certificate.endsWith(root.certificate)).toBe(true);
  });

  it.each([
    [-400, /clock of this machine says .* authority was made on .* Set the clock/],
    [3700, /authority ran out on .* If the clock is right/],
  ])('tells a clock that is wrong by %i days', async (days, sentence) => {
    const config = configOf({});
    await credentials(config, now);
    await expect(credentials(config, later(days))).rejects.toThrow(sentence);
  });

  it('stands a clock that was a year ahead for a while', async () => {
    const config = configOf({});
    await credentials(config, now);
    await credentials(config, later(365));
    const back = await credentials(config, now);
    expect(seen(back.certificate).from <= now && seen(back.certificate).until > now).toBe(true);
  });

  it('says so where its files were damaged', async () => {
    const config = configOf({});
    await credentials(config, now);
    writeFileSync(leafFile(config), '{"certificate":');
    await expect(credentials(config, now)).rejects.toThrow(/server\.json/);
  });
});

describe('a certificate of one’s own', () => {
  function own(days: number): { GENTLE_TIDE_CERTIFICATE: string; GENTLE_TIDE_CERTIFICATE_KEY: string } {
    const folder = makeFreshFolder('own');
    const [crt, key] = [join(folder, 'bench.crt'), join(folder, 'bench.key')];
    execFileSync(
      'openssl',
      [
        'req',
        '-x509',
        '-newkey',
        'ec',
        '-pkeyopt',
        'ec_paramgen_curve:P-256',
        '-nodes',
        '-keyout',
        key,
        '-out',
        crt,
        '-days',
        String(days),
        '-subj',
        '/CN=bench.example',
      ],
      { stdio: 'pipe' },
    );
    return { GENTLE_TIDE_CERTIFICATE: crt, GENTLE_TIDE_CERTIFICATE_KEY: key };
  }

  it('is shown as it lies there, and another one as soon as it lies there', async () => {
    const files = own(30);
    const config = configOf(files);
    const first = await credentials(config, later(0.01));
    expect(first).toMatchObject({
      problems: [],
      certificate: readFileSync(files.GENTLE_TIDE_CERTIFICATE, 'utf8'),
    });
    const other = own(60);
    for (const name of ['GENTLE_TIDE_CERTIFICATE', 'GENTLE_TIDE_CERTIFICATE_KEY'] as const)
      writeFileSync(files[name], readFileSync(other[name]));
    expect((await credentials(config, later(0.01))).certificate).not.toBe(first.certificate);
  });

  it('that ran out, or is good later only, is said, and shown all the same', async () => {
    const config = configOf(own(30));
    expect((await credentials(config, later(31))).problems).toEqual([
      expect.stringMatching(/ran out on .* clock of this machine is right/),
    ]);
    expect((await credentials(config, later(-2))).problems).toEqual([expect.stringMatching(/Set the clock/)]);
  });

  it.each([
    [
      'is not there',
      (files: ReturnType<typeof own>) => ({ ...files, GENTLE_TIDE_CERTIFICATE: '/none.crt' }),
      /GENTLE_TIDE_CERTIFICATE names \/none\.crt, which can’t be read/,
    ],
    [
      'is none',
      (files: ReturnType<typeof own>) => ({
        ...files,
        GENTLE_TIDE_CERTIFICATE: files.GENTLE_TIDE_CERTIFICATE_KEY,
      }),
      /holds no certificate/,
    ],
    [
      'has no key',
      (files: ReturnType<typeof own>) => ({
        ...files,
        GENTLE_TIDE_CERTIFICATE_KEY: files.GENTLE_TIDE_CERTIFICATE,
      }),
      /holds no private key/,
    ],
    [
      'has another’s key',
      (files: ReturnType<typeof own>) => ({
        ...files,
        GENTLE_TIDE_CERTIFICATE_KEY: own(1).GENTLE_TIDE_CERTIFICATE_KEY,
      }),
      /does not belong to/,
    ],
  ])('that %s is refused in a sentence', async (_, of, sentence) => {
    await expect(credentials(configOf(of(own(30))), now)).rejects.toThrow(sentence);
  });
});
