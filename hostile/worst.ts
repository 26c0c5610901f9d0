import { placesOf, type Json } from './odd';

const MOST = 4 * 1024 * 1024 - 1000;

/**
 * Bodies of nearly 4 MiB that ask the most of whoever reads and checks them: each list, text and object of a document
 * grown to its utmost.
 */
export function worstOf(document: Json): string[] {
  const bodies = [
    `[${'{},'.repeat(MOST / 3 - 1)}{}]`,
    `[${'0,'.repeat(MOST / 2 - 1)}0]`,
    `"${'x'.repeat(MOST)}"`,
    `"${'\\ud800'.repeat(MOST / 6)}"`,
    `{${Array.from({ length: 200_000 }, (_, i) => `"key ${i}":${i}`).join(',')}}`,
  ];
  for (const place of placesOf(document, new Set())) {
    const copy = { whole: structuredClone(document) };
    const path = ['whole', ...place];
    const holder = path
      .slice(0, -1)
      .reduce<Json>((one, key) => (one as Record<string | number, Json>)[key]!, copy) as Record<string, Json>;
    const last = String(path.at(-1));
    const here = holder[last];
    if (Array.isArray(here)) {
      const one = here[0] ?? 0;
      const room = MOST - JSON.stringify(copy.whole).length;
      const count = Math.floor(room / (JSON.stringify(one).length + 1));
      holder[last] = Array.from({ length: Math.min(count, 240_000) }, () => one);
    } else if (typeof here === 'string') holder[last] = 'x'.repeat(MOST - 100_000);
    else if (typeof here === 'object' && here !== null)
      for (let i = 0; i < 100_000; i++) here[`key ${i}`] = i;
    else continue;
    bodies.push(JSON.stringify(copy.whole));
  }
  return bodies;
}
