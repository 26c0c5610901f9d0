/**
 * A disk measured in equal slots, for an independent search: what it is like after some steps, what can be done to a
 * piece of it, and what its state comes to. It shares no code with the planner; abilities, floors and costs are written
 * out again from the domain facts.
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

export type SlotTool = 'windows' | 'live-mover' | 'offline-mover';

export interface Slot {
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

export interface State {
  end: number;
  places: Slot[];
  extended: boolean;
  /** The target is NTFS by now. */
  converted: boolean;
}

/** A piece as it is by now. */
export function findPieceNow(disk: SmallDisk, state: State, i: number): SmallPiece {
  const found = disk.pieces[i]!;
  if (i !== disk.target) return found;
  const converted = state.converted ? filledPiece(disk, found, disk.convert!) : found;
  const more = joinedBytes(disk, state);
  return more > 0 ? filledPiece(disk, converted, more) : converted;
}

const joinedBytes = (disk: SmallDisk, { places }: State): number =>
  disk.pieces.reduce((sum, { used }, k) => sum + (places[k]!.joined ? used : 0), 0);

/** Whether the target has room by now for the files of a piece, and 1 GiB or 5 % of them besides. */
export function takesFiles(disk: SmallDisk, state: State, { used }: SmallPiece): boolean {
  const [target, place] = [findPieceNow(disk, state, disk.target), state.places[disk.target]!];
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

/** Every slot at which `size` slots are free; `own` may lie there itself. */
export function listFreePlaces(disk: SmallDisk, state: State, size: number, own: number | null): number[] {
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
export function countFreeInWindows(disk: SmallDisk, { places }: State): number {
  const grown = disk.pieces.reduce(
    (sum, piece, i) => sum + (piece.role === 'windows' ? places[i]!.size - piece.size : 0),
    0,
  );
  return disk.windowsFree + grown * disk.unit;
}

export const canExtend = (tool: SlotTool, { fileSystem }: SmallPiece, closed: boolean): boolean =>
  tool === 'windows'
    ? fileSystem === 'ntfs' || fileSystem === 'refs'
    : !closed && (fileSystem === 'ntfs' || fileSystem === 'fat32');

export const canShrink = (tool: SlotTool, { fileSystem }: SmallPiece, closed: boolean): boolean =>
  tool === 'windows' ? fileSystem === 'ntfs' : !closed && (fileSystem === 'ntfs' || fileSystem === 'fat32');

export function moveBytes(disk: SmallDisk, piece: SmallPiece): number {
  if (piece.role === 'reserved') return 0;
  return piece.fileSystem === null || piece.fileSystem === 'refs' ? piece.size * disk.unit : piece.used;
}

/** B(x) without a cluster map: ceil(used x (size - x) / size), rounded up to clusters. */
export function beyond(disk: SmallDisk, { used, size, cluster }: SmallPiece, x: number): number {
  const whole = BigInt(size * disk.unit);
  const spread = (BigInt(used) * BigInt((size - x) * disk.unit) + whole - 1n) / whole;
  return Math.ceil(Number(spread) / cluster) * cluster;
}

export const finished = (disk: SmallDisk, state: State): boolean =>
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

export function idleOf(disk: SmallDisk, state: State): number {
  const taken = state.places.reduce((sum, place) => sum + (place.state === 'here' ? place.size : 0), 0);
  const found = disk.pieces.reduce((sum, piece) => sum + piece.size, 0);
  const freed = disk.pieces.reduce(
    (sum, piece, i) => sum + (state.places[i]!.state === 'deleted' ? piece.size : 0),
    0,
  );
  return Math.max(0, found - taken - freed) * disk.unit;
}

export function givesUp(disk: SmallDisk, state: State): 0 | 1 {
  if (disk.behind === null) return 0;
  const here = disk.pieces
    .map((piece, i) => ({ piece, place: state.places[i]! }))
    .filter(({ place }) => place.state === 'here')
    .sort((a, b) => a.place.first - b.place.first);
  const windows = here.findIndex(({ piece }) => piece.role === 'windows');
  return windows >= 0 && here[windows + 1]?.piece.number === disk.behind ? 0 : 1;
}

export const madeAnew = (disk: SmallDisk, { places, converted }: State): number =>
  places.reduce(
    (sum, { state, blank, copied, copiedOut, joined, anew }, i) => {
      if (disk.pieces[i]!.number === disk.recovery) return sum + (state === 'aside' || anew ? 1 : 0);
      return sum + (blank || copied || copiedOut || joined || anew || state === 'out' ? 2 : 0);
    },
    converted ? 1 : 0,
  );

export const countMovedStarts = (disk: SmallDisk, { places }: State): number =>
  places.filter(({ moved }, i) => moved && ['windows', 'efi'].includes(disk.pieces[i]!.role)).length;

export function orderChanged(disk: SmallDisk, { places }: State): number {
  let pairs = 0;
  // A deleted partition counts where it stood: nobody deletes something so that others have not passed it.
  const here = places.map(({ state, first }, i) => {
    const found = disk.pieces[i]!.first;
    return { found, first: state === 'deleted' ? found : first };
  });
  for (const a of here) for (const b of here) if (a.found < b.found && a.first > b.first) pairs++;
  return pairs;
}

export function wasted(disk: SmallDisk, state: State): number {
  const added = (disk.goal - disk.pieces[disk.target]!.size) * disk.unit;
  const idle = idleOf(disk, state);
  return idle > Math.max(2 ** 30, added / 20) ? idle : 0;
}
