import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkBody } from '../../platform/validation/checkBody';
import { parseJson } from '../../platform/validation/parseJson';
import { readRaw } from './readRaw';
import { throwAway } from './readBytes';
import { MAX_DEEP, findTooMuch } from '../../platform/validation/scanJson';

const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text);
const codeOf = (text: string): string => {
  const outcome = parseJson(bytesOf(text));
  return outcome.ok ? 'good' : outcome.problems[0]!.code;
};

describe('JSON from outside', () => {
  it('is what the platform’s parser makes of it, where it is honest', () =>
    fc.assert(
      fc.property(fc.jsonValue({ stringUnit: 'grapheme', depthSize: 'medium' }), (value) => {
        const text = JSON.stringify(value);
        if (/__proto__/.test(text)) return;
        expect(parseJson(bytesOf(text))).toEqual({ ok: true, value: JSON.parse(text) as unknown });
      }),
    ));

  it('is never more than was counted before it was read', () =>
    fc.assert(
      fc.property(fc.jsonValue({ depthSize: 'large' }), fc.nat(30), (value, most) => {
        const count = (one: unknown): number =>
          typeof one === 'object' && one !== null
            ? Object.values(one).reduce((sum: number, inner) => sum + count(inner), 1)
            : 1;
        if (findTooMuch(bytesOf(JSON.stringify(value)), most) === null)
          expect(count(value)).toBeLessThanOrEqual(most);
      }),
    ));

  const cases: [string, string, string][] = [
    ['too-much', 'a hundred thousand open lists', '['.repeat(100_000)],
    ['good', 'as deep as may be', `${'['.repeat(MAX_DEEP)}${']'.repeat(MAX_DEEP)}`],
    ['too-much', 'one deeper', `${'['.repeat(MAX_DEEP + 1)}${']'.repeat(MAX_DEEP + 1)}`],
    ['good', 'a text of brackets', `"${'['.repeat(1000)}"`],
    ['good', 'a text of brackets behind an escaped quote', `"\\"${'['.repeat(1000)}"`],
    ['too-much', 'a list of 300,001', `[${'0,'.repeat(300_000)}0]`],
    ['key', 'a prototype', '{"__proto__":1}'],
    ['key', 'an escaped one, further in', '{"a":[{"\\u005f_proto__":1}]}'],
    ['good', 'a text that is called so', '{"a":"__proto__"}'],
    ['syntax', 'nothing', ''],
    ['syntax', 'half an object', '{"a":'],
  ];
  it.each(cases)('is %s: %s', (code, _, text) => expect(codeOf(text)).toBe(code));

  it('is valid UTF-8', () => {
    for (const bytes of [[0xff], [0x22, 0xc0, 0xaf, 0x22], [0x22, 0xed, 0xa0, 0x80, 0x22]])
      expect(parseJson(Uint8Array.from(bytes))).toMatchObject({ problems: [{ code: 'encoding' }] });
  });

  it('holds no half of a character afterwards, in values and in names', () =>
    fc.assert(
      fc.property(fc.dictionary(fc.string({ unit: 'binary' }), fc.string({ unit: 'binary' })), (value) => {
        const odd = { '\ud83d key': 'cut \ud83d', list: ['\udf0a'], ...value };
        const parsed = parseJson(bytesOf(JSON.stringify(odd)));
        if (!parsed.ok) {
          // Nothing may be said to the prototype of what is parsed.
          expect(Object.keys(odd).includes('__proto__')).toBe(true);
          return;
        }
        const texts = JSON.stringify(parsed.value);
        expect(texts.isWellFormed()).toBe(true);
        expect(/\\ud[89a-f]/i.test(texts.replaceAll('\\\\u', ''))).toBe(false);
        expect(parsed.value).toMatchObject({ '\\uD83D key': 'cut \\uD83D', list: ['\\uDF0A'] });
      }),
    ));
});

describe('a body', () => {
  const checked = (text: string) => checkBody(bytesOf(text), 'save-goal');

  it('is told its first twenty faults, or the first where it is large', () => {
    const many = (count: number) =>
      JSON.stringify({
        version: 1,
        size: 1,
        options: { fixed: Array.from({ length: count }, (_, i) => `x${i}`) },
      });
    const faults = (count: number) => {
      const outcome = checked(many(count));
      return outcome.ok ? 0 : outcome.problems.length;
    };
    expect([faults(1), faults(5), faults(900), faults(20_000)]).toEqual([1, 5, 20, 1]);
  });

  it('repeats nothing long of what it was given', () => {
    const long = 'x'.repeat(50_000);
    for (const odd of [
      { [long]: 1 },
      { version: long },
      { version: 1, size: 1, options: { kits: [long] } },
    ]) {
      const outcome = checked(JSON.stringify(odd));
      if (outcome.ok) throw new Error('taken');
      for (const { path, message } of outcome.problems)
        expect(path.length + message.length).toBeLessThan(600);
    }
  });

  it.each([
    ['2026-11-20T10:00:00Z', true],
    ['2026-11-20T10:00:00.123+01:00', true],
    ['1980-01-01T00:00:00Z', true],
    ['2026-11-20T23:59:60Z', false],
    ['2026-11-20T24:00:00Z', false],
    ['2026-02-30T10:00:00Z', false],
    ['0000-01-01T00:00:00Z', false],
    ['1969-12-31T23:59:59Z', false],
    ['9999-12-31T23:59:59-23:59', false],
    ['2026-11-20T10:00:00', false],
    ['2026-11-20 10:00:00Z', false],
  ])('with the time %s is taken: %s', (at, good) => {
    const tick = { id: '47540000-0000-4000-8000-000000000001', item: 'a', outcome: 'done', who: 'Ida', at };
    const text = JSON.stringify({ ticks: [{ ...tick, note: '', seconds: null, answers: {} }] });
    expect(checkBody(bytesOf(text), 'ticks').ok).toBe(good);
    // Whatever is taken is a moment that JavaScript and the database can hold.
    if (good) expect(new Date(at).toISOString()).toMatch(/^\d{4}-/);
  });

  it('that is too large is heard out for a while, and refused', async () => {
    let pulled = 0;
    const body = new ReadableStream({
      pull(controller) {
        if (pulled++ < 20) controller.enqueue(new Uint8Array(1000));
        else controller.close();
      },
    });
    const request = new Request('http://x/', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body,
      duplex: 'half',
    } as RequestInit);
    const raw = await readRaw(request, 'application/json', 5000);
    expect(raw.ok ? 'taken' : raw.problems[0]!.code).toBe('too-large');
    expect(pulled).toBeGreaterThan(20);
  });
});

describe('a body that nobody read', () => {
  const asked = (pieces: number): Request => {
    let left = pieces;
    const body = new ReadableStream<Uint8Array>({
      pull: (controller) => (left-- > 0 ? controller.enqueue(new Uint8Array(2 ** 20)) : controller.close()),
    });
    return new Request('http://127.0.0.1/', { method: 'PUT', body, duplex: 'half' } as RequestInit);
  };

  it('is thrown away to its end, unless that is farther than anybody waits', async () => {
    expect(await throwAway(new Request('http://127.0.0.1/'))).toBe(true);
    const short = asked(3);
    expect([await throwAway(short), short.bodyUsed]).toEqual([true, true]);
    expect(await throwAway(short)).toBe(true);
    expect(await throwAway(asked(Infinity))).toBe(false);
  });
});
