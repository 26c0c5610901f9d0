/**
 * Whether stretches of a file lie over each other: what is written into one would arrive in another. Bytes.
 *
 * @param units first bytes of stretches that all have one length
 */
export function overlap(
  units: Float64Array,
  unit: number,
  others: readonly { at: number; length: number }[],
): boolean {
  units.sort();
  for (let i = 1; i < units.length; i++) if (units[i]! < units[i - 1]! + unit) return true;
  const sorted = [...others].filter(({ length }) => length > 0).sort((a, b) => a.at - b.at);
  for (const [i, { at, length }] of sorted.entries()) {
    const before = sorted[i - 1];
    if (before && before.at + before.length > at) return true;
    let [low, high] = [0, units.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (units[middle]! + unit <= at) low = middle + 1;
      else high = middle;
    }
    if (low < units.length && units[low]! < at + length) return true;
  }
  return false;
}
