import {
  beyond,
  canExtend,
  canShrink,
  countFreeInWindows,
  listFreePlaces,
  moveBytes,
  findPieceNow,
  takesFiles,
  type Slot,
  type SmallDisk,
  type State,
  type SlotTool,
} from './slotDisk';

export interface Label {
  state: State;
  bytes: number;
  exposed: number;
  /** Restarts so far, by the last tool and whether that step waited for one. */
  restarts: number;
  tool: SlotTool | null;
  waited: boolean;
  steps: number;
  /** The middle of the time so far, exposed time twice. */
  seconds: number;
  before: Label | null;
}

const MOVERS: Record<SmallDisk['kit'], SlotTool[]> = {
  'windows-only': ['windows'],
  'live-mover': ['windows', 'live-mover'],
  'offline-mover': ['windows', 'offline-mover'],
};

/** NVMe, 500 to 1,200 MiB/s: the middle of the time. */
const copying = (bytes: number): number => (bytes / 1200 + bytes / 500) / 2 / 2 ** 20;

export function* children(disk: SmallDisk, label: Label): Generator<Label> {
  const { state } = label;
  const put = (
    state: State,
    tools: SlotTool[],
    bytes: number,
    exposed = 0,
    waits: SlotTool[] = [],
  ): Label[] =>
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
  const change = (i: number, more: Partial<Slot>): State => ({
    ...state,
    places: state.places.map((place, k) => (k === i ? { ...place, ...more } : place)),
  });
  if (state.end !== disk.relocatedEnd) yield* put({ ...state, end: disk.relocatedEnd }, kit, 0);
  for (const i of disk.pieces.keys()) {
    const place = state.places[i]!;
    const isTarget = i === disk.target;
    const piece = findPieceNow(disk, state, i);
    if (disk.fixed.includes(piece.number)) continue;
    if (place.state === 'aside') {
      const least = disk.donors.includes(piece.number)
        ? Math.min(piece.size, Math.ceil((piece.used + 250 * 2 ** 20) / disk.unit))
        : piece.size;
      for (let size = least; size <= piece.size; size++) {
        for (const first of listFreePlaces(disk, state, size, null)) {
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
    if (piece.number === disk.recovery && !place.anew && countFreeInWindows(disk, state) >= piece.used) {
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
          if (!listFreePlaces(disk, state, size, i).includes(place.first)) break;
          yield* put({ ...change(i, { size }), extended: size === disk.goal }, able, 0);
        }
      }
    } else if (disk.donors.includes(piece.number) && !place.anew && !place.copied) {
      // A donor that was shrunk may grow back, up to its size as found.
      const growers = kit.filter((one) => canExtend(one, piece, closed));
      for (let size = place.size + 1; size <= piece.size; size++) {
        if (!listFreePlaces(disk, state, size, i).includes(place.first)) break;
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
    const waits: SlotTool[] = piece.role === 'windows' || piece.role === 'efi' ? ['live-mover'] : [];
    for (const first of listFreePlaces(disk, state, place.size, i)) {
      if (first === place.first) continue;
      const over = first < place.first + place.size && place.first < first + place.size;
      yield* put(change(i, { first, moved: true }), movers, bytes, over ? bytes : 0, waits);
    }
  }
}

function* blanks(
  disk: SmallDisk,
  state: State,
  i: number,
  kit: SlotTool[],
  put: (state: State, tools: SlotTool[], bytes: number) => Label[],
  change: (i: number, more: Partial<Slot>) => State,
): Generator<Label> {
  const piece = findPieceNow(disk, state, i);
  const gives = disk.donors.includes(piece.number);
  const sizes = (floor: number): readonly number[] =>
    i === disk.target
      ? Array.from({ length: disk.goal - piece.anewLeast + 1 }, (_, k) => piece.anewLeast + k)
      : Array.from({ length: piece.size - floor + 1 }, (_, k) => floor + k);
  for (const tool of kit) {
    const floor = tool === 'offline-mover' ? piece.anewOffline : piece.anewRunning;
    for (const size of sizes(gives ? floor : piece.size)) {
      for (const first of listFreePlaces(disk, state, size, null)) {
        yield* put(change(i, { blank: { first, size } }), [tool], 0);
      }
    }
  }
}
