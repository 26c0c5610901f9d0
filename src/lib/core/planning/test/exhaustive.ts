/**
 * An independent search for tests: every list of steps on a disk measured in equal slots, over whole layouts. It
 * shares no code with the planner; abilities, floors and costs are written out again from the domain facts.
 */
export interface SmallPiece {
  number: number;
  role: 'windows' | 'data' | 'recovery' | 'efi' | 'reserved' | 'unknown';
  fileSystem: 'ntfs' | 'fat32' | 'exfat' | 'refs' | null;
  encrypted: boolean;
  /** Slots. */
  first: number;
  size: number;
  /** Bytes. */
  used: number;
  cluster: number;
  /** Smallest sizes in slots, what is to be kept free counted in. */
  running: number;
  offline: number;
  /** Least size in slots when it is made anew from a copy, by floor. */
  anewRunning: number;
  anewOffline: number;
  /** Least size in slots of a new volume for its files, whatever is to be kept free. */
  anewLeast: number;
}

export interface SmallDisk {
  /** Bytes a slot. */
  unit: number;
  /** First slot behind the usable area, now and once the table is at the end. */
  end: number;
  relocatedEnd: number;
  pieces: SmallPiece[];
  target: number;
  /** Slots of the goal. */
  goal: number;
  kit: 'windows-only' | 'live-mover' | 'offline-mover';
  fixed: number[];
  mayDelete: number[];
  /** Bytes that converting the target's FAT to NTFS takes; null: it is not allowed, or can't be. */
  convert: number | null;
  /** Numbers of data volumes whose files may go into a folder of the target. */
  join: number[];
  donors: number[];
  /** Bytes that one outside place takes; 0: there is none. */
  outside: number;
  /** The recovery partition in use, and the free bytes of the Windows volume. */
  recovery: number | null;
  windowsFree: number;
  /** The recovery partition that stands right behind Windows as found. */
  behind: number | null;
  mostSteps: number;
}

export type SmallVector = readonly [number, number, number, number, number, number];

type Tool = 'windows' | 'live-mover' | 'offline-mover';

interface Place {
  first: number;
  size: number;
  /** Least size so far, for what shrinking costs. */
  least: number;
  /** gone: set aside, or copied out and deleted. */
  state: 'here' | 'aside' | 'out' | 'deleted';
  decrypted: boolean;
  /** A new volume for its files: empty, or with the files in it. */
  blank: { first: number; size: number } | null;
  copied: boolean;
  copiedOut: boolean;
  /** Its files lie in a folder of the target. */
  joined: boolean;
  anew: boolean;
  moved: boolean;
}

interface State {
  end: number;
  places: Place[];
  extended: boolean;
  /** The target is NTFS by now. */
  converted: boolean;
}

interface Label {
  state: State;
  bytes: number;
  exposed: number;
  /** Restarts so far, by the last tool and whether that step waited for one. */
  restarts: number;
  tool: Tool | null;
  waited: boolean;
  steps: number;
  /** The middle of the time so far, exposed time twice. */
  seconds: number;
  before: Label | null;
}

const MOVERS: Record<SmallDisk['kit'], Tool[]> = {
  'windows-only': ['windows'],
  'live-mover': ['windows', 'live-mover'],
  'offline-mover': ['windows', 'offline-mover'],
};

/**
 * A vector that no member of `front` covers, reached by some list of up to `mostSteps` steps; null: there is none.
 * Labels that a member covers already are dropped: whatever becomes of them is covered as well.
 * @param most labels looked at before giving up; then 'unknown' comes back
 */
export function uncovered(
  disk: SmallDisk,
  front: readonly SmallVector[],
  most: number,
): { vector: SmallVector; path: string } | 'unknown' | null {
  // What leaves more idle than is allowed wastes, and how much more is not weighed (docs/planner.md).
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
export function moreUsual(
  disk: SmallDisk,
  first: UsualVector,
  most: number,
): { vector: UsualVector; path: string } | 'unknown' | null {
  const figures = (label: Label, done: boolean): UsualVector => {
    const { state } = label;
    return [
      madeAnew(disk, state),
      startsMoved(disk, state),
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

/** NVMe, 500 to 1,200 MiB/s: the middle of the time. */
const copying = (bytes: number): number => (bytes / 1200 + bytes / 500) / 2 / 2 ** 20;

const madeAnew = (disk: SmallDisk, { places, converted }: State): number =>
  places.reduce(
    (sum, { state, blank, copied, copiedOut, joined, anew }, i) => {
      if (disk.pieces[i]!.number === disk.recovery) return sum + (state === 'aside' || anew ? 1 : 0);
      return sum + (blank || copied || copiedOut || joined || anew || state === 'out' ? 2 : 0);
    },
    converted ? 1 : 0,
  );

const startsMoved = (disk: SmallDisk, { places }: State): number =>
  places.filter(({ moved }, i) => moved && ['windows', 'efi'].includes(disk.pieces[i]!.role)).length;

function orderChanged(disk: SmallDisk, { places }: State): number {
  let pairs = 0;
  // What was deleted counts where it stood: nobody deletes something so that others have not passed it.
  const here = places.map(({ state, first }, i) => {
    const found = disk.pieces[i]!.first;
    return { found, first: state === 'deleted' ? found : first };
  });
  for (const a of here) for (const b of here) if (a.found < b.found && a.first > b.first) pairs++;
  return pairs;
}

function wasted(disk: SmallDisk, state: State): number {
  const added = (disk.goal - disk.pieces[disk.target]!.size) * disk.unit;
  const idle = idleOf(disk, state);
  return idle > Math.max(2 ** 30, added / 20) ? idle : 0;
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
    // Whoever is in another run may have to begin this one anew.
    const behind = sameRun ? 0 : b.tool === 'offline-mover' ? 2 : b.waited ? 1 : 0;
    // Of one state, what was made anew and whose start moved is the same, and the time follows from the rest but for rounding.
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

function* children(disk: SmallDisk, label: Label): Generator<Label> {
  const { state } = label;
  const put = (state: State, tools: Tool[], bytes: number, exposed = 0, waits: Tool[] = []): Label[] =>
    tools.map((tool) => {
      const same = label.tool === tool;
      const waited = waits.includes(tool);
      const run = tool === 'offline-mover' && !same ? 2 : 0;
      const restart = waited && !(same && label.waited) ? 1 : 0;
      return {
        state,
        bytes: label.bytes + bytes,
        exposed: label.exposed + exposed,
        restarts: label.restarts + run + restart,
        tool,
        waited,
        steps: label.steps + 1,
        seconds: label.seconds + 17.5 + 210 * (run + restart) + copying(bytes) + copying(exposed),
        before: label,
      };
    });
  const kit = MOVERS[disk.kit];
  const change = (i: number, more: Partial<Place>): State => ({
    ...state,
    places: state.places.map((place, k) => (k === i ? { ...place, ...more } : place)),
  });
  if (state.end !== disk.relocatedEnd) yield* put({ ...state, end: disk.relocatedEnd }, kit, 0);
  for (const i of disk.pieces.keys()) {
    const place = state.places[i]!;
    const isTarget = i === disk.target;
    const piece = pieceNow(disk, state, i);
    if (disk.fixed.includes(piece.number)) continue;
    if (place.state === 'aside') {
      const least = disk.donors.includes(piece.number)
        ? Math.min(piece.size, Math.ceil((piece.used + 250 * 2 ** 20) / disk.unit))
        : piece.size;
      for (let size = least; size <= piece.size; size++) {
        for (const first of freePlaces(disk, state, size, null)) {
          yield* put(change(i, { state: 'here', first, size, anew: true }), ['windows'], piece.used);
        }
      }
      continue;
    }
    const closed = piece.encrypted && !place.decrypted;
    const copyable =
      piece.role === 'data' && piece.fileSystem !== 'refs' && piece.fileSystem !== null && !closed;
    if (place.state === 'out') {
      if (disk.join.includes(piece.number) && takesFiles(disk, state, piece))
        yield* put(change(i, { state: 'deleted', joined: true }), kit, piece.used);
      if (place.blank) {
        const back = { state: 'here' as const, ...place.blank, blank: null, anew: true };
        const extended = state.extended || (isTarget && place.blank.size === disk.goal);
        yield* put({ ...change(i, back), extended }, kit, piece.used);
      } else yield* blanks(disk, state, i, kit, put, change);
      continue;
    }
    if (place.state === 'deleted') continue;
    if (place.joined) {
      yield* put(change(i, { state: 'deleted' }), kit, 0);
      continue;
    }
    if (closed) yield* put(change(i, { decrypted: true }), ['windows'], piece.used);
    if (disk.mayDelete.includes(piece.number) && !isTarget) {
      yield* put(change(i, { state: 'deleted' }), kit, 0);
    }
    if (piece.number === disk.recovery && !place.anew && freeInWindows(disk, state) >= piece.used) {
      yield* put(change(i, { state: 'aside' }), ['windows'], piece.used);
    }
    if (isTarget && disk.convert !== null && !state.converted && !place.anew && !place.blank && !place.copied)
      yield* put({ ...state, converted: true }, ['windows'], disk.convert);
    if (isTarget) {
      if (!state.extended) {
        const able = kit.filter((tool) => canExtend(tool, piece, closed));
        // By any amount at first; only what sets recovery aside asks for it, so only then it is tried.
        const least = disk.recovery !== null && piece.role === 'windows' ? place.size + 1 : disk.goal;
        for (let size = least; size <= disk.goal; size++) {
          if (!freePlaces(disk, state, size, i).includes(place.first)) break;
          yield* put({ ...change(i, { size }), extended: size === disk.goal }, able, 0);
        }
      }
    } else if (disk.donors.includes(piece.number) && !place.anew && !place.copied) {
      // A donor that was shrunk may grow back, up to its size as found.
      const growers = kit.filter((one) => canExtend(one, piece, closed));
      for (let size = place.size + 1; size <= piece.size; size++) {
        if (!freePlaces(disk, state, size, i).includes(place.first)) break;
        yield* put(change(i, { size }), growers, 0);
      }
      for (const tool of kit.filter((one) => canShrink(one, piece, closed))) {
        const least = tool === 'offline-mover' ? piece.offline : piece.running;
        for (let size = least; size < place.size; size++) {
          const more = Math.max(0, beyond(disk, piece, size) - beyond(disk, piece, place.least));
          yield* put(change(i, { size, least: Math.min(size, place.least) }), [tool], more);
        }
      }
    }
    // A target that no tool of the kit extends is answered with that finding alone.
    const blocked =
      isTarget && disk.convert === null && !kit.some((tool) => canExtend(tool, piece, piece.encrypted));
    if (copyable && !blocked && !place.anew && !(isTarget && state.extended)) {
      if (place.copied) {
        const old = { ...place.blank!, blank: null, copied: false, anew: true };
        const extended = state.extended || (isTarget && place.blank!.size === disk.goal);
        yield* put({ ...change(i, old), extended }, kit, 0); // deletes the old one
      } else if (place.copiedOut) {
        yield* put(change(i, { state: 'out' }), kit, 0);
      } else if (place.blank) {
        yield* put(change(i, { copied: true }), kit, piece.used);
      } else {
        yield* blanks(disk, state, i, kit, put, change);
        const taken = disk.pieces.reduce(
          (sum, one, k) => sum + (state.places[k]!.copiedOut ? one.used : 0),
          0,
        );
        if (taken + piece.used <= disk.outside) yield* put(change(i, { copiedOut: true }), kit, piece.used);
      }
    }
    if (copyable && disk.join.includes(piece.number) && !place.anew && !place.blank && !place.copiedOut) {
      if (takesFiles(disk, state, piece)) yield* put(change(i, { joined: true }), kit, piece.used);
    }
    const movers = closed ? [] : kit.filter((tool) => tool !== 'windows');
    if (movers.length === 0 || (isTarget && state.extended) || place.blank || place.copiedOut) {
      if (!(place.copiedOut && place.anew)) continue;
    }
    const bytes = moveBytes(disk, piece);
    const waits: Tool[] = piece.role === 'windows' || piece.role === 'efi' ? ['live-mover'] : [];
    for (const first of freePlaces(disk, state, place.size, i)) {
      if (first === place.first) continue;
      const over = first < place.first + place.size && place.first < first + place.size;
      yield* put(change(i, { first, moved: true }), movers, bytes, over ? bytes : 0, waits);
    }
  }
}

/** A piece as it is by now. */
function pieceNow(disk: SmallDisk, state: State, i: number): SmallPiece {
  const found = disk.pieces[i]!;
  if (i !== disk.target) return found;
  const converted = state.converted ? filledPiece(disk, found, disk.convert!) : found;
  const more = joinedBytes(disk, state);
  return more > 0 ? filledPiece(disk, converted, more) : converted;
}

const joinedBytes = (disk: SmallDisk, { places }: State): number =>
  disk.pieces.reduce((sum, { used }, k) => sum + (places[k]!.joined ? used : 0), 0);

/** Whether the target has room by now for the files of a piece, and 1 GiB or 5 % of them besides. */
function takesFiles(disk: SmallDisk, state: State, { used }: SmallPiece): boolean {
  const [target, place] = [pieceNow(disk, state, disk.target), state.places[disk.target]!];
  const free = place.size * disk.unit - target.used;
  return (
    place.state === 'here' &&
    target.fileSystem === 'ntfs' &&
    !place.blank &&
    !place.copiedOut &&
    !disk.fixed.includes(target.number) &&
    free >= used + Math.max(2 ** 30, Math.ceil(used / 20))
  );
}

/** The target once it is NTFS, or holds more: a copy of it needs more room. */
function filledPiece(disk: SmallDisk, found: SmallPiece, more: number): SmallPiece {
  const used = found.used + more;
  const withMargin = Math.ceil((used + Math.max(2 ** 30, Math.ceil(used / 20))) / disk.unit);
  return { ...found, fileSystem: 'ntfs', used, anewLeast: Math.min(found.size, withMargin) };
}

function* blanks(
  disk: SmallDisk,
  state: State,
  i: number,
  kit: Tool[],
  put: (state: State, tools: Tool[], bytes: number) => Label[],
  change: (i: number, more: Partial<Place>) => State,
): Generator<Label> {
  const piece = pieceNow(disk, state, i);
  const gives = disk.donors.includes(piece.number);
  const sizes = (floor: number): readonly number[] =>
    i === disk.target
      ? Array.from({ length: disk.goal - piece.anewLeast + 1 }, (_, k) => piece.anewLeast + k)
      : Array.from({ length: piece.size - floor + 1 }, (_, k) => floor + k);
  for (const tool of kit) {
    const floor = tool === 'offline-mover' ? piece.anewOffline : piece.anewRunning;
    for (const size of sizes(gives ? floor : piece.size)) {
      for (const first of freePlaces(disk, state, size, null)) {
        yield* put(change(i, { blank: { first, size } }), [tool], 0);
      }
    }
  }
}

/** Every slot at which `size` slots are free; `own` may lie there itself. */
function freePlaces(disk: SmallDisk, state: State, size: number, own: number | null): number[] {
  const taken: [number, number][] = [];
  state.places.forEach((place, k) => {
    if (place.blank) taken.push([place.blank.first, place.blank.size]);
    if (place.state === 'here' && k !== own) taken.push([place.first, place.size]);
  });
  const places: number[] = [];
  for (let first = 1; first + size <= state.end; first++) {
    if (taken.every(([at, length]) => first >= at + length || at >= first + size)) places.push(first);
  }
  return places;
}

/** Bytes that Windows has free: as found, and what it was extended by. */
function freeInWindows(disk: SmallDisk, { places }: State): number {
  const grown = disk.pieces.reduce(
    (sum, piece, i) => sum + (piece.role === 'windows' ? places[i]!.size - piece.size : 0),
    0,
  );
  return disk.windowsFree + grown * disk.unit;
}

const canExtend = (tool: Tool, { fileSystem }: SmallPiece, closed: boolean): boolean =>
  tool === 'windows'
    ? fileSystem === 'ntfs' || fileSystem === 'refs'
    : !closed && (fileSystem === 'ntfs' || fileSystem === 'fat32');

const canShrink = (tool: Tool, { fileSystem }: SmallPiece, closed: boolean): boolean =>
  tool === 'windows' ? fileSystem === 'ntfs' : !closed && (fileSystem === 'ntfs' || fileSystem === 'fat32');

function moveBytes(disk: SmallDisk, piece: SmallPiece): number {
  if (piece.role === 'reserved') return 0;
  return piece.fileSystem === null || piece.fileSystem === 'refs' ? piece.size * disk.unit : piece.used;
}

/** B(x) without a cluster map: ceil(used x (size - x) / size), rounded up to clusters. */
function beyond(disk: SmallDisk, { used, size, cluster }: SmallPiece, x: number): number {
  const whole = BigInt(size * disk.unit);
  const spread = (BigInt(used) * BigInt((size - x) * disk.unit) + whole - 1n) / whole;
  return Math.ceil(Number(spread) / cluster) * cluster;
}

const finished = (disk: SmallDisk, state: State): boolean =>
  state.extended &&
  state.places.every(
    (place, i) =>
      !place.blank &&
      !place.copied &&
      (place.state === 'here' ||
        (place.state === 'deleted' && (place.joined || disk.mayDelete.includes(disk.pieces[i]!.number)))) &&
      (!place.joined || place.state === 'deleted') &&
      (!place.copiedOut || place.anew || place.joined),
  );

function idleOf(disk: SmallDisk, state: State): number {
  const taken = state.places.reduce((sum, place) => sum + (place.state === 'here' ? place.size : 0), 0);
  const found = disk.pieces.reduce((sum, piece) => sum + piece.size, 0);
  const freed = disk.pieces.reduce(
    (sum, piece, i) => sum + (state.places[i]!.state === 'deleted' ? piece.size : 0),
    0,
  );
  return Math.max(0, found - taken - freed) * disk.unit;
}

function givesUp(disk: SmallDisk, state: State): 0 | 1 {
  if (disk.behind === null) return 0;
  const here = disk.pieces
    .map((piece, i) => ({ piece, place: state.places[i]! }))
    .filter(({ place }) => place.state === 'here')
    .sort((a, b) => a.place.first - b.place.first);
  const windows = here.findIndex(({ piece }) => piece.role === 'windows');
  return windows >= 0 && here[windows + 1]?.piece.number === disk.behind ? 0 : 1;
}
