import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { escapeHalves, takeFirstCharacters, textOfUnits, mendText } from './wellFormed';

/** The units that an escaped text stands for, by what its form says. */
const unescapedHalves = (text: string): string =>
  text.replace(/\\u(D[89A-F][0-9A-F]{2}|005C)/g, (_, code: string) =>
    String.fromCharCode(parseInt(code, 16)),
  );

/** Runs of units as no honest text has them: halves, and what looks like an escaped one. */
const anyUnits = fc
  .array(
    fc.oneof(
      fc.constantFrom('\\', 'u', 'D83D', 'DC00', '005C', 'é', '🌊', 'x'),
      fc.integer({ min: 0xd7f0, max: 0xe010 }).map((code) => String.fromCharCode(code)),
    ),
    { maxLength: 20 },
  )
  .map((units) => units.join(''));

describe('text with halves of surrogate pairs', () => {
  it('travels as text that UTF-8 can hold, and comes back unit for unit', () =>
    fc.assert(
      fc.property(anyUnits, (text) => {
        const escaped = escapeHalves(text);
        // The witness is the platform: what UTF-8 takes and gives back unchanged is well-formed.
        expect(new TextDecoder().decode(new TextEncoder().encode(escaped))).toBe(escaped);
        expect(unescapedHalves(escaped)).toBe(text);
      }),
    ));

  it('is left alone where nothing is halved', () =>
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (text) => {
        expect(mendText(text)).toBe(text);
        if (!/\\u/.test(text)) expect(escapeHalves(text)).toBe(text);
      }),
    ));

  it('keeps paths as they are read', () => {
    expect(escapeHalves('C:\\users\\Dana')).toBe('C:\\users\\Dana');
    expect(escapeHalves('D:\\uD83D')).toBe('D:\\u005CuD83D');
    expect(escapeHalves('cut \ud83d')).toBe('cut \\uD83D');
  });

  it('is read from the bytes of a volume', () => {
    const units = Uint16Array.from([0x57, 0xd83c, 0xdf0a, 0xd83c, 0x21]);
    expect(textOfUnits(new Uint8Array(units.buffer))).toBe('W🌊\\uD83C!');
    // An odd byte at the end is no unit.
    expect(textOfUnits(Uint8Array.from([0x41, 0, 0x42]))).toBe('A');
  });

  it('is cut between characters', () =>
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.nat(30), (text, most) => {
        expect(takeFirstCharacters(text, most)).toBe([...text].slice(0, most).join(''));
      }),
    ));
});
