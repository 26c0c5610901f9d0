/** A rectangle in pixels. */
export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

const WAVE_LENGTH = 26;
const WAVE_HEIGHT = 2.4;

/**
 * The water of a basin as a closed SVG path: its surface stands at `level` (0..1) of the box, drawn as a
 * gentle swell. The swell is symmetric about the level, so the area of water is exactly level x box.
 * Empty for level 0.
 */
export function drawWater(box: Box, level: number): string {
  const depth = Math.max(0, Math.min(1, level)) * box.height;
  if (depth === 0) return '';
  const bottom = box.y + box.height;
  const right = box.x + box.width;
  const surface = bottom - depth;
  // The swell never leaves the basin: it flattens where the water is shallow or brimful.
  const swell = Math.min(WAVE_HEIGHT, depth, box.height - depth);
  if (swell < 0.2) return `M${r(box.x)},${r(surface)} H${r(right)} V${r(bottom)} H${r(box.x)} Z`;
  const waves = Math.max(1, Math.round(box.width / WAVE_LENGTH));
  const length = box.width / waves;
  const parts = [`M${r(box.x)},${r(surface)}`];
  for (let i = 0; i < waves; i++) {
    const x = box.x + i * length;
    parts.push(
      `Q${r(x + length / 4)},${r(surface - 2 * swell)} ${r(x + length / 2)},${r(surface)}`,
      `Q${r(x + (3 * length) / 4)},${r(surface + 2 * swell)} ${r(x + length)},${r(surface)}`,
    );
  }
  return `${parts.join(' ')} V${r(bottom)} H${r(box.x)} Z`;
}

const r = (value: number): number => Math.round(value * 100) / 100;
