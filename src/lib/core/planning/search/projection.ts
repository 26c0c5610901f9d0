import type { Amounts } from './tension';
import type { Board } from './pieces';
import type { Aim, Skeleton } from './skeleton';

/**
 * One consequence of the constraints for places that still matter: `to` lies at least so many slots behind
 * `from`. Both are 0 for the disk's start, 1 for its end where that moves, else 2 and more for the pieces.
 */
interface Consequence {
  from: number;
  to: number;
  /** Slots that never give way. */
  still: number;
  /** Slots that give way, by relief: `rigid` while it is not used, else `loose` less `times` its amount. */
  terms: readonly Term[];
}

interface Term {
  relief: number;
  rigid: number;
  loose: number;
  times: number;
}

/** What a skeleton's past says about where its pieces stand now, and nothing else of that past. */
export type Projection = readonly Consequence[];

/** Eliminates every place that a piece has left: what remains are the consequences for those where pieces stand. */
export function projectionOf(board: Board, aim: Aim, at: Skeleton, all: Amounts): Projection {
  const name = new Int32Array(at.count).fill(-1);
  name[0] = 0;
  if (aim.end >= 0) name[aim.end] = 1;
  for (const id of at.order) if (at.place[id]! >= 0) name[at.place[id]!] = id + 2;
  // Places that were left get names beyond those of all pieces.
  const gone = board.pieces.length + 2;
  let edges: Consequence[] = [];
  for (const { from, to, rigid, loose, relief } of at.edges) {
    const [u, v] = [from, to].map((place) => (name[place]! < 0 ? gone + place : name[place]!));
    const edge = { from: u!, to: v! };
    push(
      edges,
      relief < 0 || all[relief] === 0
        ? { ...edge, still: rigid, terms: [] }
        : { ...edge, still: 0, terms: [{ relief, rigid, loose, times: 1 }] },
      all,
    );
  }
  for (let place = 1; place < at.count; place++) {
    if (name[place]! < 0) edges = without(edges, gone + place, all);
  }
  return edges;
}

function without(edges: readonly Consequence[], place: number, all: Amounts): Consequence[] {
  const rest: Consequence[] = [];
  for (const edge of edges) if (edge.from !== place && edge.to !== place) rest.push(edge);
  for (const into of edges) {
    if (into.to !== place || into.from === place) continue;
    for (const out of edges) {
      if (out.from === place && out.to !== place) push(rest, joined(into, out), all);
    }
  }
  return rest;
}

function joined(into: Consequence, out: Consequence): Consequence {
  const terms = [...into.terms];
  for (const term of out.terms) {
    const i = terms.findIndex((one) => one.relief === term.relief);
    if (i < 0) terms.push(term);
    else {
      const { relief, rigid, loose, times } = terms[i]!;
      terms[i] = { relief, rigid: rigid + term.rigid, loose: loose + term.loose, times: times + term.times };
    }
  }
  return { from: into.from, to: out.to, still: into.still + out.still, terms };
}

/** Adds a consequence unless another one of the same two places says as much, and drops those that say less. */
function push(edges: Consequence[], made: Consequence, all: Amounts): void {
  const circle = made.from === made.to;
  if (circle && follows(NOTHING, made, all)) return;
  // A circle asks something of the amounts alone, wherever it runs.
  const edge = circle ? { ...made, from: 0, to: 0 } : made;
  for (let i = edges.length - 1; i >= 0; i--) {
    const other = edges[i]!;
    if (other.from !== edge.from || other.to !== edge.to) continue;
    if (follows(other, edge, all)) return;
    if (follows(edge, other, all)) edges.splice(i, 1);
  }
  edges.push(edge);
}

const NOTHING: Pick<Consequence, 'still' | 'terms'> = { still: 0, terms: [] };

/** Whether `weaker` asks for no more than `stronger`, whatever the amounts. */
function follows(
  stronger: Pick<Consequence, 'still' | 'terms'>,
  weaker: Pick<Consequence, 'still' | 'terms'>,
  all: Amounts,
): boolean {
  let least = stronger.still - weaker.still;
  for (const term of stronger.terms) {
    const other = weaker.terms.find((one) => one.relief === term.relief);
    const most = all[term.relief]!;
    const rigid = term.rigid - (other?.rigid ?? 0);
    const loose = term.loose - (other?.loose ?? 0);
    const times = term.times - (other?.times ?? 0);
    least += Math.min(rigid, loose - times * (times > 0 ? most : 1));
  }
  for (const term of weaker.terms) {
    if (stronger.terms.some((one) => one.relief === term.relief)) continue;
    least += Math.min(-term.rigid, term.times - term.loose);
  }
  return least >= 0;
}

/** Whether all that `stronger` leaves possible is possible with `weaker` as well. */
export const allows = (weaker: Projection, stronger: Projection, all: Amounts): boolean =>
  weaker.every((edge) =>
    stronger.some((other) => other.from === edge.from && other.to === edge.to && follows(other, edge, all)),
  );
