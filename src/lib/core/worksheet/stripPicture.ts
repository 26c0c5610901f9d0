import { shareWidth } from '../chart';
import type { PartitionRole } from '../disk';
import type { LinePiece } from './sheet';

/** Paper tints and the second mark of a role; drawn to be told apart in black and white as well. */
const TINT: Record<PartitionRole, { fill: string; hatch: boolean }> = {
  windows: { fill: '#8fb9b6', hatch: false },
  data: { fill: '#d9bd7f', hatch: false },
  recovery: { fill: '#b79bb5', hatch: true },
  vendor: { fill: '#b79bb5', hatch: true },
  efi: { fill: '#c99a8a', hatch: true },
  system: { fill: '#c99a8a', hatch: true },
  reserved: { fill: '#b9bec4', hatch: true },
  unknown: { fill: '#b9bec4', hatch: true },
};

const INK = '#22303a';
const GAP = 3;
const LEAST = 26;

/**
 * A small strip of a disk as SVG: basins with their water level, unallocated space dotted, what changed with a thick
 * rim. It holds no style sheet, so it can stand in a page, on paper and in a PDF alike.
 * @param sectorSize to compare what is in use (bytes) with sizes (sectors)
 * @param changed number of the partition to be marked
 */
export function drawStripPicture(
  pieces: readonly LinePiece[],
  sectorSize: number,
  changed: number | null,
  width = 480,
  height = 34,
): string {
  // A frame is not a basin: what lies inside it stands in its place.
  const shown = pieces.filter((piece) => !pieces.some((other) => other !== piece && within(other, piece)));
  const widths = shareWidth(
    shown.map(({ sectors }) => ({ sectors, least: LEAST })),
    width - GAP * (shown.length - 1) - 2,
    'legible',
  );
  let x = 1;
  const parts = shown.map((piece, i) => {
    const drawn = basin(
      piece,
      x,
      widths[i]!,
      height,
      sectorSize,
      piece.number !== null && piece.number === changed,
    );
    x += widths[i]! + GAP;
    return drawn;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}">${parts.join('')}</svg>`;
}

/** Unallocated room may fill a frame to its very ends. */
const within = (inner: LinePiece, outer: LinePiece): boolean =>
  outer.number !== null &&
  inner.first >= outer.first &&
  inner.first + inner.sectors <= outer.first + outer.sectors &&
  (inner.number === null || inner.sectors < outer.sectors);

function basin(
  piece: LinePiece,
  x: number,
  width: number,
  height: number,
  sectorSize: number,
  marked: boolean,
): string {
  const top = 1.5;
  const tall = height - 3;
  const round = (value: number): string => value.toFixed(2);
  const rect = (y: number, h: number, more: string): string =>
    `<rect x="${round(x)}" y="${round(y)}" width="${round(width)}" height="${round(h)}" ${more}/>`;
  const stroke = `stroke="${INK}" stroke-width="${marked ? 2.4 : 0.9}"`;
  if (piece.role === null) {
    return rect(top, tall, `fill="#ffffff" ${stroke} stroke-dasharray="2.5 2.5"`);
  }
  const { fill, hatch } = TINT[piece.role];
  const level = piece.used === null ? 1 : Math.min(1, piece.used / (piece.sectors * sectorSize));
  const water = tall * level;
  const lines: string[] = [];
  if (hatch) {
    for (let at = 4; at < width + tall; at += 5) {
      const [x1, x2] = [Math.min(at, width), Math.max(0, at - tall)];
      const [y1, y2] = [top + at - x1, top + at - x2];
      lines.push(
        `<line x1="${round(x + x1)}" y1="${round(y1)}" x2="${round(x + x2)}" y2="${round(Math.min(top + tall, y2))}" stroke="${INK}" stroke-width="0.4" stroke-opacity="0.55"/>`,
      );
    }
  }
  // A sheet may come from another workshop: nothing of it gets into the picture as it stands.
  const letter = /^[A-Z]$/i.test(piece.letter ?? '') ? `${piece.letter}:` : null;
  const label = letter ?? SHORT[piece.role] ?? String(Number(piece.number));
  return [
    rect(top, tall, 'fill="#ffffff"'),
    rect(top + tall - water, water, `fill="${fill}"`),
    ...lines,
    rect(top, tall, `fill="none" ${stroke}`),
    `<text x="${round(x + width / 2)}" y="${round(top + tall / 2 + 4)}" font-size="11" font-family="Hyperlegible, Atkinson Hyperlegible Next Variable, sans-serif" font-weight="600" text-anchor="middle" fill="${INK}">${label}</text>`,
  ].join('');
}

const SHORT: Partial<Record<PartitionRole, string>> = {
  windows: 'Win.',
  recovery: 'Rec.',
  vendor: 'Mkr.',
  efi: 'EFI',
  system: 'Sys.',
  reserved: 'R',
  unknown: '?',
};
