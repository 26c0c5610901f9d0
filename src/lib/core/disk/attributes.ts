import type { Partition } from './types';

/** Bits of a GPT entry's attributes that have a meaning (UEFI 2.10, 5.3.3; 60 to 63 for basic data). */
const BITS: readonly (readonly [number, string])[] = [
  [0, 'required'],
  [1, 'firmware ignores'],
  [2, 'legacy boot'],
  [60, 'read-only'],
  [61, 'shadow copy'],
  [62, 'hidden'],
  [63, 'no letter'],
];

/** The attributes that are set, in words; bits without a meaning here are counted, never dropped. */
export function nameAttributes(attributes: string): string[] {
  const value = BigInt(attributes);
  const words = BITS.filter(([bit]) => (value >> BigInt(bit)) & 1n).map(([, word]) => word);
  const known = BITS.reduce((mask, [bit]) => mask | (1n << BigInt(bit)), 0n);
  const others = [...(value & ~known).toString(2)].filter((digit) => digit === '1').length;
  return others > 0 ? [...words, `${others} unknown`] : words;
}

/** All 64 bits, as attributes are written; of a survey that read none of them. */
export const ALL_ATTRIBUTES = '0xFFFFFFFFFFFFFFFF';

/** The attributes that are set in some set of bits, as figure and in words, and whether all of them were read. */
export function describeAttributes({
  attributes,
  unreadAttributes = '0x0',
}: Pick<Partition, 'attributes'> & Partial<Pick<Partition, 'unreadAttributes'>>): string {
  const words = nameAttributes(attributes);
  const unread = BigInt(unreadAttributes) === 0n ? '' : ', not all bits read';
  return `${attributes}${words.length > 0 ? ` (${words.join(', ')})` : ''}${unread}`;
}
