/** Binary units, in bytes (IEC 80000-13). */
export const KIB = 1024;
export const MIB = 1024 * KIB;
export const GIB = 1024 * MIB;
export const TIB = 1024 * GIB;

/** `value` rounded up to a whole multiple of `step`; both whole numbers, `step` above 0. */
export const roundUp = (value: number, step: number): number => Math.ceil(value / step) * step;

/** `value` rounded down to a whole multiple of `step`. */
export const roundDown = (value: number, step: number): number => Math.floor(value / step) * step;

/**
 * ceil(a x b / c) without losing a bit: the product of two byte counts can pass 2^53, so it is taken in
 * bigint. `c` is above 0; the result must itself be a safe integer, which it is whenever b <= c.
 */
export function multiplyDivideUp(a: number, b: number, c: number): number {
  const divisor = BigInt(c);
  return Number((BigInt(a) * BigInt(b) + divisor - 1n) / divisor);
}
