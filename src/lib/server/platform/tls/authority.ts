import 'reflect-metadata';
import { isIP, BlockList } from 'node:net';
import { webcrypto } from 'node:crypto';
import { AsnConvert } from '@peculiar/asn1-schema';
import {
  GeneralName,
  GeneralSubtree,
  GeneralSubtrees,
  id_ce_nameConstraints,
  NameConstraints,
} from '@peculiar/asn1-x509';
import * as x509 from '@peculiar/x509';

/**
 * The workshop's own authority: a root certificate that people install on their tablets, and certificates of this
 * server that it vouches for. The root can vouch for names and addresses of a local network only (name constraints, RFC
 * 5280, 4.2.1.10), so whoever stole its key could not pretend to be anything out in the world.
 */
export interface Issued {
  /** PEM. */
  certificate: string;
  /** PEM, PKCS #8. */
  key: string;
}

const ALGORITHM = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' } as const;
const DAY = 24 * 60 * 60 * 1000;
/**
 * Years that a root is good for, days that a certificate of the server is, and days before it begins: clocks of tablets
 * are late.
 */
const ROOT_YEARS = 10;
const LEAF_DAYS = 90;
const EARLY_DAYS = 2;

/**
 * Names that are only ever found in a local network (RFC 6762, RFC 8375, and the reserved .internal), and what homes
 * and shops use.
 */
const LOCAL_NAMES = ['localhost', 'local', 'lan', 'home', 'internal', 'home.arpa', 'test'];
/** Addresses likewise (RFC 1918, 3927, 4193, 4291, 6598): address and bits. */
const LOCAL_RANGES: readonly [string, number][] = [
  ['127.0.0.0', 8],
  ['10.0.0.0', 8],
  ['172.16.0.0', 12],
  ['192.168.0.0', 16],
  ['169.254.0.0', 16],
  ['100.64.0.0', 10],
  ['::1', 128],
  ['fc00::', 7],
  ['fe80::', 10],
];

x509.cryptoProvider.set(webcrypto as unknown as Crypto);

function constraints(names: readonly string[]): x509.Extension {
  const trees = [
    ...[...LOCAL_NAMES, ...names].map(
      (name) => new GeneralSubtree({ base: new GeneralName({ dNSName: name }) }),
    ),
    ...LOCAL_RANGES.map(
      ([address, bits]) => new GeneralSubtree({ base: new GeneralName({ iPAddress: `${address}/${bits}` }) }),
    ),
  ];
  const value = new NameConstraints({ permittedSubtrees: new GeneralSubtrees(trees) });
  return new x509.Extension(id_ce_nameConstraints, true, AsnConvert.serialize(value));
}

const pem = async (key: webcrypto.CryptoKey): Promise<string> =>
  x509.PemConverter.encode(await webcrypto.subtle.exportKey('pkcs8', key), 'PRIVATE KEY');

const serial = (): string => Buffer.from(webcrypto.getRandomValues(new Uint8Array(16))).toString('hex');

const keys = (): Promise<webcrypto.CryptoKeyPair> =>
  webcrypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']) as Promise<webcrypto.CryptoKeyPair>;

/**
 * A new authority. @param names that it may vouch for beside those of a local network: a domain of the workshop's own
 */
export async function makeRoot(shop: string, names: readonly string[], now: Date): Promise<Issued> {
  const pair = await keys();
  const root = await x509.X509CertificateGenerator.createSelfSigned({
    serialNumber: serial(),
    name: [{ CN: [`Gentle Tide at ${shop}`.slice(0, 64)] }],
    notBefore: new Date(now.getTime() - EARLY_DAYS * DAY),
    notAfter: new Date(now.getTime() + ROOT_YEARS * 365 * DAY),
    keys: pair as unknown as CryptoKeyPair,
    signingAlgorithm: ALGORITHM,
    extensions: [
      new x509.BasicConstraintsExtension(true, 0, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign | x509.KeyUsageFlags.cRLSign, true),
      await x509.SubjectKeyIdentifierExtension.create(pair.publicKey as unknown as CryptoKey),
      constraints(names),
    ],
  });
  return { certificate: root.toString('pem'), key: await pem(pair.privateKey) };
}

/** A certificate of this server for names and addresses, which the authority vouches for. */
export async function issue(root: Issued, names: readonly string[], now: Date): Promise<Issued> {
  const authority = new x509.X509Certificate(root.certificate);
  const signingKey = await webcrypto.subtle.importKey(
    'pkcs8',
    x509.PemConverter.decode(root.key)[0]!,
    ALGORITHM,
    false,
    ['sign'],
  );
  const pair = await keys();
  const leaf = await x509.X509CertificateGenerator.create({
    serialNumber: serial(),
    // No name or address: some hold a subject that looks like one against the constraints, whatever the alternative
    // names are.
    subject: [{ CN: ['Gentle Tide server'] }],
    issuer: authority.subject,
    notBefore: new Date(Math.max(authority.notBefore.getTime(), now.getTime() - EARLY_DAYS * DAY)),
    notAfter: new Date(Math.min(authority.notAfter.getTime(), now.getTime() + LEAF_DAYS * DAY)),
    publicKey: pair.publicKey as unknown as CryptoKey,
    signingKey: signingKey as unknown as CryptoKey,
    signingAlgorithm: ALGORITHM,
    extensions: [
      new x509.BasicConstraintsExtension(false, undefined, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
      new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.serverAuth]),
      new x509.SubjectAlternativeNameExtension(
        names.map((value) => ({ type: isIP(value) ? ('ip' as const) : ('dns' as const), value })),
      ),
      await x509.AuthorityKeyIdentifierExtension.create(authority.publicKey),
      await x509.SubjectKeyIdentifierExtension.create(pair.publicKey as unknown as CryptoKey),
    ],
  });
  return { certificate: `${leaf.toString('pem')}\n${root.certificate}`, key: await pem(pair.privateKey) };
}

const LOCAL = new BlockList();
for (const [address, bits] of LOCAL_RANGES)
  LOCAL.addSubnet(address, bits, isIP(address) === 6 ? 'ipv6' : 'ipv4');

/** Whether a root that was made for `names` can vouch for a name or address. */
export function mayVouchFor(names: readonly string[], name: string): boolean {
  const family = isIP(name);
  if (family !== 0) return LOCAL.check(name, family === 6 ? 'ipv6' : 'ipv4');
  return [...LOCAL_NAMES, ...names].some((one) => name === one || name.endsWith(`.${one}`));
}

/** The names that a root was made for, read from itself. */
export function constraintsOf(root: string): string[] {
  const extension = new x509.X509Certificate(root).getExtension(id_ce_nameConstraints);
  if (!extension) return [];
  const { permittedSubtrees } = AsnConvert.parse(extension.value, NameConstraints);
  return [...(permittedSubtrees ?? [])].flatMap(({ base }) => base.dNSName ?? []);
}
