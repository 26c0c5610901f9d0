import { pick } from './chance';

export type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

/** Values that stand in no honest document in these places, of every kind and size. */
export const ODD_VALUES: readonly Json[] = [
  null,
  true,
  false,
  0,
  -1,
  0.5,
  -0.0001,
  1e-7,
  1e21,
  2 ** 31,
  2 ** 32,
  2 ** 53,
  Number.MAX_SAFE_INTEGER,
  1e308,
  '',
  ' ',
  '0',
  '-1',
  'true',
  'null',
  'NaN',
  'x'.repeat(300),
  'x'.repeat(70_000),
  '🌊'.repeat(201),
  '🌊'.repeat(2000),
  'cut \ud83d',
  '\udf0a back',
  '\u0000',
  'a\u0000b',
  '\u202egnp.exe',
  '\ufeff',
  "'; DROP TABLE jobs; --",
  '" OR 1=1 #',
  '<script>alert(1)</script>',
  '{{7*7}}${7*7}',
  '../../../etc/passwd',
  '%00%0a',
  '\r\nset-cookie: a=b',
  '__proto__',
  'constructor',
  'toString',
  '2026-11-20T23:59:60Z',
  '2026-02-30T00:00:00Z',
  '0000-01-01T00:00:00Z',
  '9999-12-31T23:59:59-23:59',
  '+275760-09-13T00:00:00Z',
  '2026-11-20',
  '0000-00-00',
  '9999-99-99',
  '0x',
  '0xFFFFFFFFFFFFFFFF',
  [],
  {},
  [[]],
  [null],
  [{}],
  { length: 1e9 },
  { toString: 1 },
  { constructor: { prototype: { polluted: 1 } } },
  { $ref: '/schemas/survey.json' },
  Array.from({ length: 3000 }, (_, i) => i),
  Array.from({ length: 3000 }, () => 'same'),
  Array.from({ length: 2000 }, () => ({})),
  Object.fromEntries(Array.from({ length: 3000 }, (_, i) => [`k${i}`, i])),
  nested(40),
  nested(63),
];

function nested(depth: number): Json {
  let value: Json = 1;
  for (let i = 0; i < depth; i++) value = i % 2 ? [value] : { a: value };
  return value;
}

/** Texts that are sent as a body as they are. */
export const ODD_BODIES: readonly (string | Uint8Array)[] = [
  '',
  ' ',
  '{',
  '}',
  'null',
  '[]',
  '""',
  '0',
  'NaN',
  '{"a":}',
  "{'a':1}",
  '{"a":1,}',
  '\ufeff{}',
  '{"__proto__":{"version":1}}',
  '{"\\u005f_proto__":1}',
  '{"constructor":{"prototype":{}}}',
  '['.repeat(100_000),
  '{"a":'.repeat(100_000),
  `${'['.repeat(2000)}${']'.repeat(2000)}`,
  `[${'{},'.repeat(1_300_000)}{}]`,
  `[${'0,'.repeat(2_000_000)}0]`,
  `{"version":1,"x":"${'x'.repeat(4_000_000)}"}`,
  `{${Array.from({ length: 200_000 }, (_, i) => `"k${i}":0`).join(',')}}`,
  '"\\ud800"',
  Uint8Array.from([0x7b, 0x22, 0xff, 0x22, 0x3a, 0x31, 0x7d]),
  Uint8Array.from([0xc0, 0xaf]),
  Uint8Array.from([0xed, 0xa0, 0x80]),
  Uint8Array.from([0xff, 0xfe, 0x7b, 0x00, 0x7d, 0x00]),
  new Uint8Array(1000),
];

type Place = readonly (string | number)[];

/** Every place of a document but those named, the insides of lists and objects among them. */
export function placesOf(value: Json, except: ReadonlySet<string>, at: Place = []): Place[] {
  if (typeof value !== 'object' || value === null) return [at];
  const inside = Array.isArray(value) ? value.map((one, i) => [i, one] as const) : Object.entries(value);
  return [
    at,
    ...inside.flatMap(([key, one]) =>
      typeof key === 'string' && except.has(key) ? [] : placesOf(one, except, [...at, key]),
    ),
  ];
}

const KEYS = [
  'extra',
  '__proto__',
  'constructor',
  'prototype',
  '',
  ' ',
  'é',
  '\ud800',
  'x'.repeat(1000),
  '0',
  '-1',
];

/** One document out of another with something odd in one place: a value, a field too many, or one too few. */
export function altered(document: Json, except: ReadonlySet<string>, random: () => number): string {
  const copy = { whole: structuredClone(document) };
  const place = pick(placesOf(document, except), random);
  const path: Place = ['whole', ...place];
  const holder = path
    .slice(0, -1)
    .reduce<Json>((one, key) => (one as Record<string | number, Json>)[key]!, copy) as Record<string, Json>;
  const last = path.at(-1)!;
  const way = random();
  const here = holder[last];
  if (way < 0.12 && place.length > 0) {
    if (Array.isArray(holder)) holder.splice(Number(last), 1);
    else Reflect.deleteProperty(holder, last);
  } else if (way < 0.24 && typeof here === 'object' && here !== null && !Array.isArray(here)) {
    const key = pick(KEYS, random);
    const value = pick(ODD_VALUES, random);
    Object.defineProperty(here, key, { value, enumerable: true, configurable: true });
  } else if (way < 0.3 && Array.isArray(here)) {
    holder[last] = Array.from({ length: pick([0, 2, 300, 3000], random) }, () => here[0] ?? null);
  } else holder[last] = pick(ODD_VALUES, random);
  return JSON.stringify(copy.whole) ?? '';
}

/** One document out of another with one value in it replaced by an odd one of its kind: most are taken. */
export function mildly(document: Json, except: ReadonlySet<string>, random: () => number): string {
  const copy = structuredClone(document);
  const at = (place: Place): Json =>
    place.reduce<Json>((one, key) => (one as Record<string | number, Json>)[key]!, copy);
  const texts = placesOf(copy, except).filter((place) => typeof at(place) === 'string');
  const place = pick(texts.length > 0 ? texts : placesOf(copy, except), random);
  const odd = ODD_VALUES.filter((one) => typeof one === typeof at(place) && JSON.stringify(one).length < 250);
  const holder = at(place.slice(0, -1)) as Record<string | number, Json>;
  if (place.length > 0) holder[place.at(-1)!] = pick(odd, random);
  return JSON.stringify(copy);
}

/** What stands in an address in place of a number or a name. */
export const ODD_PARTS: readonly string[] = [
  '0',
  '-1',
  '1e3',
  '0x10',
  '1.5',
  '999999999',
  '9999999999',
  '99999999999999999999',
  ' 1',
  '1 ',
  '%00',
  '%0a',
  '..%2f..',
  '%2e%2e',
  '%F0%9F%8C%8A',
  '%ED%A0%80',
  "1'--",
  '1%20OR%201=1',
  'null',
  'undefined',
  'NaN',
  '__proto__',
  'constructor',
  'x'.repeat(2000),
];
