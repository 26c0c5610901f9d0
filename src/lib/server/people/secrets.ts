import {
  createHash,
  createHmac,
  randomBytes,
  scrypt,
  timingSafeEqual,
  type ScryptOptions,
} from 'node:crypto';
import { promisify } from 'node:util';
import { ZxcvbnFactory } from '@zxcvbn-ts/core';
import { adjacencyGraphs, dictionary } from '@zxcvbn-ts/language-common';
import { deriveSecret } from '../store/history/workshopKey';
import { Turns, type Turn } from './turns';

const derive = promisify<string | Buffer, Buffer, number, ScryptOptions, Buffer>(scrypt);

interface Cost {
  N: number;
  r: number;
  p: number;
}

/** OWASP's figures for scrypt (Password Storage Cheat Sheet): 32 MiB, three times. */
const COST: Cost = { N: 2 ** 15, r: 8, p: 3 };
const MAXMEM = 64 * 1024 * 1024;
const BYTES = 32;
/**
 * Hashes that are worked out at once: each takes a core for a tenth of a second. Further ones wait, half a minute at
 * the longest.
 */
const turns = new Turns(2, 150, 4);

/** Waits for a turn to work out hashes; a try is counted within its turn. @throws NotDone where too many wait */
export const inTurn = <T>(turn: Turn, work: () => Promise<T>): Promise<T> => turns.run(turn, work);

/**
 * A PIN has few enough forms to be tried one after the other by whoever took the database along, so the workshop's key,
 * which lies outside of it, goes into every hash.
 */
const peppered = (secret: string): Buffer =>
  createHmac('sha256', deriveSecret()).update('sign-in\0').update(secret.normalize('NFKC')).digest();

/**
 * What is kept of a passphrase or PIN: `scrypt$N$r$p$salt$hash`. Who asks from outside waits for a turn first.
 * @param cost cheaper in tests only, which sign many in
 */
export async function hashOf(secret: string, cost: Cost = COST): Promise<string> {
  const salt = randomBytes(16);
  const hash = await derive(peppered(secret), salt, BYTES, { ...cost, maxmem: MAXMEM });
  return ['scrypt', cost.N, cost.r, cost.p, salt.toString('base64url'), hash.toString('base64url')].join('$');
}

/** Something that no secret is, so that a name that nobody has takes as long as a wrong secret. */
const NONE = `scrypt$${COST.N}$${COST.r}$${COST.p}$${Buffer.alloc(16).toString('base64url')}$${Buffer.alloc(BYTES).toString('base64url')}`;

/** Whether a secret is the one that was kept; null is none, and takes as long. */
export async function isSecret(secret: string, kept: string | null): Promise<boolean> {
  const [, N, r, p, salt, hash] = (kept ?? NONE).split('$');
  const options = { N: Number(N), r: Number(r), p: Number(p), maxmem: MAXMEM };
  const found = await derive(peppered(secret), Buffer.from(salt ?? '', 'base64url'), BYTES, options);
  const expected = Buffer.from(hash ?? '', 'base64url');
  return expected.length === found.length && timingSafeEqual(found, expected) && kept !== null;
}

/** 256 bits that nobody guesses, and what is kept of them. */
export function makeToken(): { token: string; kept: string } {
  const token = randomBytes(32).toString('base64url');
  return { token, kept: hashToken(token) };
}
/** Tokens are long and random: one round of SHA-256 is enough. */
export const hashToken = (token: string): string => createHash('sha256').update(token).digest('hex');

export const MIN_PASSPHRASE = 10;
export const MAX_PASSPHRASE = 200;

const estimate = new ZxcvbnFactory({ dictionary, graphs: adjacencyGraphs });

/**
 * Why a passphrase won't do, in a sentence; null: it will. What is typed is never cut, and may be anything, spaces
 * included.
 */
export function findPassphraseProblem(passphrase: string, about: readonly string[]): string | null {
  const length = [...passphrase].length;
  if (length < MIN_PASSPHRASE)
    return `A passphrase has at least ${MIN_PASSPHRASE} characters: three words that don’t belong together, say.`;
  if (length > MAX_PASSPHRASE) return `A passphrase has at most ${MAX_PASSPHRASE} characters.`;
  // Secrets that take fewer tries are in every list of common ones.
  if (estimate.check(passphrase.slice(0, 64), [...about, 'gentle', 'tide', 'gentletide']).guesses < 1e9)
    return 'This passphrase is among the first that would be tried. Take three words that don’t belong together.';
  return null;
}

/** Why a PIN won't do, in a sentence; null: it will. */
export function pinProblem(pin: string): string | null {
  if (!/^\d{6,12}$/.test(pin)) return 'A PIN has 6 to 12 digits.';
  const digits = [...pin].map(Number);
  const steps = new Set(digits.slice(1).map((digit, i) => digit - digits[i]!));
  const half = pin.slice(0, pin.length / 2);
  if (steps.size === 1 || new Set(digits).size < 3 || half.repeat(2) === pin)
    return 'This PIN is among the first that would be tried. Take digits that follow no pattern.';
  return null;
}
