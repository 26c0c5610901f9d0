import { children, type Label } from './exhaustiveSteps';
import {
  finished,
  givesUp,
  idleOf,
  madeAnew,
  orderChanged,
  countMovedStarts,
  wasted,
  type SmallDisk,
  type State,
} from './slotDisk';

/** An independent search for tests: every list of steps on a small disk, over whole layouts. */
export type SmallVector = readonly [number, number, number, number, number, number];

/**
 * A vector that no member of `front` covers, reached by some list of up to `mostSteps` steps; null: there is none.
 * Labels that a member covers already are dropped: whatever becomes of them is covered as well.
 * @param most labels looked at before giving up; then 'unknown' comes back
 */
export function listUncovered(
  disk: SmallDisk,
  front: readonly SmallVector[],
  most: number,
): { vector: SmallVector; path: string } | 'unknown' | null {
  // A route that leaves more idle than is allowed wastes, and how much more is not weighed (docs/planner.md).
  const allowed = Math.max(2 ** 30, ((disk.goal - disk.pieces[disk.target]!.size) * disk.unit) / 20);
  const covered = (vector: readonly number[]) =>
    front.some((one) => one.every((value, i) => value <= vector[i]! || (i === 4 && vector[4]! > allowed)));
  const figures = (label: Label, done: boolean): SmallVector => [
    label.bytes,
    label.exposed,
    label.restarts,
    label.steps,
    done ? idleOf(disk, label.state) : 0,
    done ? givesUp(disk, label.state) : 0,
  ];
  return search(disk, most, figures, covered);
}

/** The figures of the usual order in their turn, written out from domain facts 8. */
export type UsualVector = readonly [number, number, number, number, number, number, number];

/** A list of steps that comes before `first` in the usual order; null: there is none. */
export function isMoreUsual(
  disk: SmallDisk,
  first: UsualVector,
  most: number,
): { vector: UsualVector; path: string } | 'unknown' | null {
  const figures = (label: Label, done: boolean): UsualVector => {
    const { state } = label;
    return [
      madeAnew(disk, state),
      countMovedStarts(disk, state),
      done ? givesUp(disk, state) : 0,
      done ? orderChanged(disk, state) : 0,
      done ? wasted(disk, state) : 0,
      label.seconds,
      label.steps,
    ];
  };
  const notBefore = (vector: UsualVector): boolean => {
    const i = vector.findIndex((figure, k) => Math.abs(figure - first[k]!) > 1e-6);
    return i < 0 || vector[i]! > first[i]!;
  };
  return search(disk, most, figures, notBefore);
}

/** Every list of steps whose figures are not covered yet, and no part of it either. */
function search<V extends readonly number[]>(
  disk: SmallDisk,
  most: number,
  figures: (label: Label, done: boolean) => V,
  covered: (vector: V) => boolean,
): { vector: V; path: string } | 'unknown' | null {
  const root: State = {
    end: disk.end,
    extended: false,
    converted: false,
    places: disk.pieces.map((piece) => ({
      first: piece.first,
      size: piece.size,
      least: piece.size,
      state: 'here',
      decrypted: false,
      blank: null,
      copied: false,
      copiedOut: false,
      joined: false,
      anew: false,
      moved: false,
    })),
  };
  const known = new Map<string, Label[]>();
  let level: Label[] = [
    {
      state: root,
      bytes: 0,
      exposed: 0,
      restarts: 0,
      tool: null,
      waited: false,
      steps: 0,
      seconds: 0,
      before: null,
    },
  ];
  let looked = 0;
  while (level.length > 0) {
    const next: Label[] = [];
    for (const label of level) {
      for (const child of children(disk, label)) {
        if (++looked > most) return 'unknown';
        const done = finished(disk, child.state);
        const vector = figures(child, done);
        if (covered(vector)) continue;
        if (done) return { vector, path: pathOf(disk, child) };
        if (child.steps >= disk.mostSteps) continue;
        if (!remember(known, child)) continue;
        next.push(child);
      }
    }
    level = next;
  }
  return null;
}

/** The layouts on the way to a label, for the message of a failure. */
function pathOf(disk: SmallDisk, label: Label): string {
  const shown = ({ places }: State) =>
    places
      .map((place, i) => {
        const { number, role } = disk.pieces[i]!;
        const at = place.state === 'here' ? `@${place.first}+${place.size}` : ` ${place.state}`;
        return `${number}${role}${at}${place.blank ? ` new@${place.blank.first}+${place.blank.size}` : ''}`;
      })
      .join(' ');
  const lines: string[] = [];
  for (let one: Label | null = label; one; one = one.before)
    lines.unshift(`${one.tool}: ${shown(one.state)}`);
  return lines.join('\n');
}

/** Keeps a label unless one of the same state is as good in all. */
function remember(known: Map<string, Label[]>, label: Label): boolean {
  const key = JSON.stringify([
    label.state.end,
    label.state.extended,
    label.state.converted,
    label.state.places,
  ]);
  const others = known.get(key) ?? [];
  const asGood = (a: Label, b: Label) => {
    const sameRun = a.tool === b.tool && a.waited === b.waited;
    // A state in another run may have to begin this one anew.
    const behind = sameRun ? 0 : b.tool === 'offline-mover' ? 2 : b.waited ? 1 : 0;
    // Of one state, what was made anew and whose start moved is the same, and the time follows from the rest but for
    // rounding.
    return (
      a.seconds + 210 * behind <= b.seconds &&
      a.bytes <= b.bytes &&
      a.exposed <= b.exposed &&
      a.restarts + behind <= b.restarts &&
      a.steps <= b.steps
    );
  };
  if (others.some((other) => asGood(other, label))) return false;
  known.set(key, [...others.filter((other) => !asGood(label, other)), label]);
  return true;
}
