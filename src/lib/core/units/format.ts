import { GIB, KIB, MIB } from './bytes';

// Made once: making one takes far longer than using it.
const WITH_DIGITS = [0, 1].map(
  (digits) =>
    new Intl.NumberFormat('en-GB', { minimumFractionDigits: digits, maximumFractionDigits: digits }),
);

const grouped = (value: number, digits: 0 | 1): string => WITH_DIGITS[digits]!.format(value);

/**
 * A size for reading: GiB with one decimal from 0.1 GiB up, below that MiB, KiB or bytes. The value shown is
 * rounded; where somebody has to type a figure into a tool, use {@link formatMib}.
 */
export function formatSize(bytes: number): string {
  const magnitude = Math.abs(bytes);
  if (magnitude === 0) return '0';
  if (magnitude >= 0.1 * GIB) return `${grouped(bytes / GIB, 1)} GiB`;
  if (magnitude >= MIB) return `${grouped(bytes / MIB, Number.isInteger(bytes / MIB) ? 0 : 1)} MiB`;
  if (magnitude >= KIB) return `${grouped(bytes / KIB, Number.isInteger(bytes / KIB) ? 0 : 1)} KiB`;
  return `${grouped(bytes, 0)} B`;
}

/**
 * A size or place for typing: whole MiB. What is left over cannot be typed, so it is rounded down, which never asks for
 * more room than there is, and stands beside in sectors, or in bytes where no sector is known: "60,129 MiB + 2,015
 * sectors".
 */
export function formatMib(bytes: number, sectorSize?: number): string {
  const rest = bytes % MIB;
  const whole = `${grouped((bytes - rest) / MIB, 0)} MiB`;
  if (rest === 0) return whole;
  if (!sectorSize || rest % sectorSize !== 0) return `${whole} + ${grouped(rest, 0)} B`;
  return `${whole} + ${grouped(rest / sectorSize, 0)} ${rest === sectorSize ? 'sector' : 'sectors'}`;
}

/** A share of a whole as a percentage without decimals; 0 of 0 is 0 %. Never 100 % unless it is all. */
export function formatShare(part: number, whole: number): string {
  if (whole <= 0) return '0 %';
  const share = (part / whole) * 100;
  const shown = part < whole ? Math.min(99, Math.round(share)) : 100;
  return `${shown} %`;
}

/** A range of seconds for reading: "5–30 s", "11–16 min", "2–3.5 h"; one figure where both ends round alike. */
export function formatDuration(seconds: { low: number; high: number }): string {
  const { low, high } = seconds;
  if (high === 0) return '0';
  const [divisor, unit] = high < 100 ? [1, 's'] : high < 100 * 60 ? [60, 'min'] : [3600, 'h'];
  const show = (value: number): string => {
    const inUnit = value / divisor;
    if (unit === 'h') return inUnit < 10 ? String(Math.round(inUnit * 10) / 10) : String(Math.round(inUnit));
    return String(value > 0 ? Math.max(1, Math.round(inUnit)) : 0);
  };
  const [from, to] = [show(low), show(high)];
  return from === to ? `${to} ${unit}` : `${from}–${to} ${unit}`;
}

/** A whole number for reading, its thousands apart: bytes, sectors. */
export const formatCount = (count: number): string => grouped(count, 0);

/** The shortest text that means exactly these bytes when it is typed: "119 GiB", "990 MiB", "33030144 B". */
export function formatExactly(bytes: number): string {
  if (bytes === 0) return '0 MiB';
  if (bytes % GIB === 0) return `${bytes / GIB} GiB`;
  return bytes % MIB === 0 ? `${bytes / MIB} MiB` : `${bytes} B`;
}
