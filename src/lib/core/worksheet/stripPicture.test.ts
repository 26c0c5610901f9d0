import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { drawStripPicture, type LinePiece } from '.';

const piece = (more: Partial<LinePiece>): LinePiece => ({
  number: 1,
  name: 'C: Windows',
  role: 'windows',
  letter: 'C',
  first: 2048,
  sectors: 4096,
  used: 1_000_000,
  ...more,
});

describe('the picture of a strip', () => {
  it('shows every partition and bed inside its width, and no frame around what lies inside it', () =>
    fc.assert(
      fc.property(
        fc.array(fc.record({ sectors: fc.integer({ min: 1, max: 1e9 }), bed: fc.boolean() }), {
          minLength: 1,
          maxLength: 30,
        }),
        fc.integer({ min: 300, max: 1200 }),
        (list, width) => {
          let at = 2048;
          const pieces = list.map(({ sectors, bed }, i) => {
            const one = piece({
              first: at,
              sectors,
              ...(bed ? { number: null, role: null } : { number: i + 1 }),
            });
            at += sectors;
            return one;
          });
          const frame = piece({ number: 99, first: 2047, sectors: at, role: 'unknown' });
          const svg = drawStripPicture([frame, ...pieces], 512, null, width);
          const rects = [...svg.matchAll(/<rect x="([\d.]+)" y="[\d.]+" width="([\d.]+)"/g)];
          expect(new Set(rects.map(([, x]) => x)).size).toBe(list.length);
          for (const [, x, w] of rects) expect(Number(x) + Number(w)).toBeLessThanOrEqual(width + 0.01);
        },
      ),
    ));

  it('lets nothing through that a sheet from elsewhere may hold', () => {
    const evil = '<img src=x onerror=alert(1)>';
    const svg = drawStripPicture(
      [
        piece({ letter: evil, name: evil }),
        piece({ first: 9000, letter: null, role: 'data', number: evil as unknown as number }),
      ],
      512,
      null,
    );
    expect(svg).not.toContain('img');
    expect(svg.match(/<(\w+)/g)!.every((tag) => ['<svg', '<rect', '<line', '<text'].includes(tag))).toBe(
      true,
    );
  });
});
