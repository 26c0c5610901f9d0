import { Ajv2020 } from 'ajv/dist/2020.js';
import fc from 'fast-check';
import { Type, type Static, type TSchema } from 'typebox';
import { describe, expect, it } from 'vitest';
import { Bytes, ExtentShape, maybe, Name, oneOfWords, orNull, PartitionNumber, Sector } from './shapes';

// Ajv is the witness of what a schema means: the server checks with it, and so may anybody who is served one.
const ajv = new Ajv2020({ strict: true, strictRequired: false, strictTypes: false, allErrors: true });
const faults = (shape: TSchema, value: unknown): string[] => {
  const check = ajv.compile(shape);
  check(value);
  return (check.errors ?? []).map(({ instancePath, keyword }) => `${instancePath} ${keyword}`);
};
const fits = (shape: TSchema, value: unknown): boolean => faults(shape, value).length === 0;

describe('figures of a disk', () => {
  it.each([
    ['bytes', Bytes],
    ['a sector', Sector],
  ])('%s are whole, not below 0, and exact as a number', (_, shape) => {
    fc.assert(
      fc.property(fc.oneof(fc.double(), fc.integer(), fc.maxSafeInteger()), (value) => {
        expect(fits(shape, value)).toBe(Number.isSafeInteger(value) && value >= 0);
      }),
    );
    for (const odd of ['1', null, true, [], {}, 2 ** 53]) expect(fits(shape, odd)).toBe(false);
  });

  it('an extent holds something', () => {
    expect(fits(ExtentShape, { first: 0, sectors: 1 })).toBe(true);
    for (const odd of [{ first: 0, sectors: 0 }, { first: -1, sectors: 1 }, { first: 0 }, { sectors: 1 }])
      expect(fits(ExtentShape, odd), JSON.stringify(odd)).toBe(false);
  });

  it('a name is more than blanks', () => {
    for (const good of ['x', ' x ', 'ü – “🥐”']) expect(fits(Name, good)).toBe(true);
    for (const odd of ['', '  ', '\t\n', 'x'.repeat(201), 7]) expect(fits(Name, odd)).toBe(false);
  });
});

describe('a shape or null', () => {
  const shapes: [string, TSchema, unknown, unknown][] = [
    ['a number', PartitionNumber, 3, 'three'],
    ['one of some words', Type.Enum(['left', 'right']), 'left', 'middle'],
    ['an object', ExtentShape, { first: 1, sectors: 1 }, { first: 1 }],
    ['a list', Type.Array(Name), ['x'], ['']],
    ['one of several', Type.Union([Type.Literal(1), Type.Literal('one')]), 'one', 2],
  ];
  it.each(shapes)('takes null besides %s, and nothing else besides', (_, shape, good, odd) => {
    const both = orNull(shape);
    expect([fits(both, good), fits(both, null), fits(both, odd), fits(shape, null)]).toEqual([
      true,
      true,
      false,
      false,
    ]);
  });

  it('tells a fault once, at its own field', () => {
    expect(faults(orNull(ExtentShape), { first: 1, sectors: 'x' })).toEqual(['/sectors type']);
    expect(faults(orNull(Type.Enum(['left'])), 'middle')).toEqual([' enum']);
  });

  it('may be left out where it is a field that may be', () => {
    const shape = Type.Object({ label: maybe(Name) });
    for (const good of [{}, { label: null }, { label: 'x' }]) expect(fits(shape, good)).toBe(true);
    expect(faults(shape, { label: '' })).toEqual(['/label minLength', '/label pattern']);
  });
});

describe('one of several shapes, told apart by a word', () => {
  const Circle = Type.Object({ kind: Type.Literal('circle'), radius: Bytes });
  const Square = Type.Object({ kind: Type.Literal('square'), side: Bytes, note: Name });
  type Figure = Static<typeof Circle> | Static<typeof Square>;
  const shape = oneOfWords<Figure>('kind', { circle: Circle, square: Square });

  it('takes each by its word', () => {
    const good: Figure[] = [
      { kind: 'circle', radius: 1 },
      { kind: 'square', side: 1, note: 'x' },
    ];
    for (const one of good) expect(faults(shape, one)).toEqual([]);
  });

  it('tells a fault for the shape that is meant, and for no other', () => {
    const telling = (value: unknown) => faults(shape, value).filter((fault) => !fault.endsWith(' if'));
    expect(telling({ kind: 'square', side: -1, note: 'x' })).toEqual(['/side minimum']);
    expect(telling({ kind: 'square', side: 1 })).toEqual([' required']);
    expect(telling({ kind: 'triangle', radius: 1 })).toEqual(['/kind enum']);
    expect(telling({ radius: 1 })).toContain(' required');
    for (const odd of [null, 'circle', 3, ['circle']]) expect(telling(odd)).toContain(' type');
  });

  it('is no more lenient than its shapes', () => {
    const any = fc.record({
      kind: fc.constantFrom('circle', 'square'),
      radius: fc.option(fc.integer(), { nil: undefined }),
      side: fc.option(fc.integer(), { nil: undefined }),
      note: fc.option(fc.string(), { nil: undefined }),
    });
    fc.assert(
      fc.property(any, (value) => {
        const given = JSON.parse(JSON.stringify(value)) as { kind: string };
        expect(fits(shape, given)).toBe(fits(given.kind === 'circle' ? Circle : Square, given));
      }),
    );
  });
});
