/** Shares of a chart's width among the basins of a strip. */
export type ScaleKind = 'legible' | 'true';

export interface Sized {
  /** Length in sectors, above 0. */
  sectors: number;
  /** Pixels that it needs to be read and clicked; heeded by the legible scale only. */
  least: number;
}

/**
 * Widths in pixels that add up to `width`. *True* is proportional. *Legible* is proportional among those
 * that are large enough and gives every other one its least width; where even the least widths do not fit,
 * they are all scaled down alike.
 */
export function shareWidth(items: readonly Sized[], width: number, kind: ScaleKind): number[] {
  const total = items.reduce((sum, item) => sum + item.sectors, 0);
  if (kind === 'true') return items.map((item) => (width * item.sectors) / total);

  const leastTotal = items.reduce((sum, item) => sum + item.least, 0);
  if (leastTotal >= width) return items.map((item) => (width * item.least) / leastTotal);

  // Raise to the least width whatever falls below it; what is left is shared by the rest, until none falls below.
  // Raising one leaves less for the others, so all that fall below can be raised at once.
  const raised = items.map(() => false);
  for (;;) {
    let room = width;
    let sectors = 0;
    items.forEach((item, i) => (raised[i] ? (room -= item.least) : (sectors += item.sectors)));
    const perSector = sectors > 0 ? room / sectors : 0;
    let more = false;
    items.forEach((item, i) => {
      if (raised[i] || item.sectors * perSector >= item.least) return;
      raised[i] = true;
      more = true;
    });
    if (!more) return items.map((item, i) => (raised[i] ? item.least : item.sectors * perSector));
  }
}
