import { GIB, KIB, MIB, TIB } from './bytes';

/** Meaning of a typed size. `bytes` is the nearest whole byte; a share is 0..1 of something. */
export type SizeEntry =
  { kind: 'total'; bytes: number } | { kind: 'added'; bytes: number } | { kind: 'share'; share: number };

export type SizeReading = { ok: true; entry: SizeEntry } | { ok: false; message: string };

const UNITS: Record<string, number> = {
  b: 1,
  byte: 1,
  bytes: 1,
  k: KIB,
  kb: KIB,
  kib: KIB,
  m: MIB,
  mb: MIB,
  mib: MIB,
  g: GIB,
  gb: GIB,
  gib: GIB,
  t: TIB,
  tb: TIB,
  tib: TIB,
};

const LARGEST = 8 * 1024 * TIB; // 8 PiB: below it every byte is an exact JavaScript number

const refused = (message: string): SizeReading => ({ ok: false, message });

/**
 * Reads a size as technicians type it: `50`, `50G`, `50 GiB`, `51200 MB`, `0,5 TiB`, `+30 GiB`, `=80 GiB`,
 * `40 %`. A bare number is GiB, and "GB" means GiB as Windows writes it (domain facts 1).
 *
 * @param bare what a number without a sign means: a new total (default) or an amount added
 * @returns the entry, or a sentence that says what is wrong with the text
 */
export function parseSize(text: string, bare: 'total' | 'added' = 'total'): SizeReading {
  const trimmed = text.replace(/[\u00a0\u202f]/g, ' ').trim();
  if (trimmed === '') return refused('Type a size, for example 200 GiB.');
  const match = /^([+=])?\s*(\d+(?:[.,]\d+)?|[.,]\d+)\s*(%|[a-z]+)?$/i.exec(trimmed);
  if (!match) {
    return refused(
      `“${trimmed}” is not a size. Type a number with or without a unit, for example 200, 200 GiB or +80 GiB.`,
    );
  }
  const [, sign, digits = '', suffix = ''] = match;
  // 51,200 may be fifty-one thousand or fifty-one point two: a factor of a thousand is not to be guessed.
  if (/^[1-9]\d{0,2},\d{3}$/.test(digits)) {
    return refused(
      `“${digits}” can be read in two ways. Type ${digits.replace(',', '')} or ${digits.replace(',', '.')}0.`,
    );
  }
  const value = Number(digits.replace(',', '.'));
  if (suffix === '%') {
    if (value > 100) return refused('A share cannot be more than 100 %.');
    return { ok: true, entry: { kind: 'share', share: value / 100 } };
  }
  const unit = suffix === '' ? GIB : UNITS[suffix.toLowerCase()];
  if (unit === undefined)
    return refused(`“${suffix}” is not a unit here. Use MiB, GiB or TiB (or MB, GB, TB).`);
  const bytes = Math.round(value * unit);
  if (bytes > LARGEST) return refused('That is more than 8 PiB, larger than any disk here.');
  const kind = sign === '+' ? 'added' : sign === '=' ? 'total' : bare;
  return { ok: true, entry: { kind, bytes } };
}
