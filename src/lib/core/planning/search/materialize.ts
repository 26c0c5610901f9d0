import { overlaps, type Extent, type Partition } from '../../disk';
import { usedBeyond } from '../costs';
import type { Creation, Step } from '../steps';
import { greatestPlaces, leastPlaces } from './tension';
import { allTools, extenders, type Board, type Piece, type ToolSet } from './pieces';
import { actsOf, type Act, type Aim } from './skeleton';
import { decryptions, type Settlement } from './settle';

/** A step without what its tool, its time and its reason add. */
export type BareStep = DistributiveOmit<Step, 'tool' | 'seconds' | 'exposedSeconds' | 'why'>;
type DistributiveOmit<T, K extends PropertyKey> = T extends unknown ? Omit<T, K> : never;

/** A step that some of the kit's tools can do, and those that wait for a restart with it. */
export interface Choice {
  step: BareStep;
  tools: ToolSet;
  waiting: ToolSet;
}

/** What stands before the skeleton's own steps. */
export interface Prelude {
  relocate: boolean;
  /** Whether the disk is enlarged, by as much as its relief says. */
  enlarge: boolean;
  /** Shrinks by exact amounts that the technician holds. */
  held: readonly Choice[];
}

/**
 * The steps of a settled skeleton, with every place as near to the disk's start as it can be, or as far from it.
 * null: a step would change nothing.
 */
export function stepsOf(
  board: Board,
  aim: Aim,
  settlement: Settlement,
  prelude: Prelude,
  side: 'least' | 'greatest',
): Choice[] | null {
  const { skeleton, amounts } = settlement;
  const find = side === 'least' ? leastPlaces : greatestPlaces;
  const places = find(skeleton.edges, skeleton.count, amounts);
  if (!places) return null;
  return new Writer(board, aim, settlement, prelude, places).write();
}

class Writer {
  private readonly choices: Choice[] = [];
  private readonly now: Extent[];
  private readonly numbers: number[];
  private readonly any: ToolSet;
  private nextNumber: number;
  private idle = false;

  constructor(
    private readonly board: Board,
    private readonly aim: Aim,
    private readonly settlement: Settlement,
    private readonly prelude: Prelude,
    private readonly places: Float64Array,
  ) {
    this.now = board.pieces.map(({ first, sectors }) => ({ first, sectors }));
    this.numbers = board.pieces.map((piece) => piece.partition.number);
    this.any = allTools(board.kit);
    this.nextNumber = Math.max(...board.disk.partitions.map((partition) => partition.number)) + 1;
  }

  write(): Choice[] | null {
    const { board, settlement, prelude } = this;
    const acts = actsOf(settlement.skeleton);
    if (prelude.enlarge) this.enlarge();
    if (prelude.relocate)
      this.put({ ...WHOLE, verb: 'relocate-table', bytesCopied: 0, exposedBytes: 0 }, this.any);
    const first = new Set<number>(decryptions(board, settlement.skeleton, settlement.used).pieces);
    for (const act of acts) if (asksToDecrypt(act, board)) first.add((act as { piece: number }).piece);
    for (const id of first) this.decrypt(board.pieces[id]!);
    this.choices.push(...prelude.held);
    for (const act of acts) if ('place' in act) this.leave(act);
    // Windows shrinks before a mover starts, so that its run is not broken.
    const used = [...settlement.used].sort((a, b) => a.way.tools - b.way.tools || a.piece - b.piece);
    for (const { piece, way } of used) this.shrink(board.pieces[piece]!, way.tools);
    for (const act of acts) this.act(act);
    return this.idle ? null : this.choices;
  }

  private put(step: BareStep, tools: ToolSet, waiting: ToolSet = 0): void {
    this.choices.push({ step, tools, waiting });
  }

  private enlarge(): void {
    const { board, aim, settlement } = this;
    const slots = settlement.amounts[2 * board.pieces.length]!;
    if (slots === 0 || aim.end < 0) this.idle = true;
    const diskSectors = board.disk.sectors + slots * board.slot;
    this.put({ ...WHOLE, verb: 'enlarge-disk', bytesCopied: 0, exposedBytes: 0, diskSectors }, this.any);
  }

  private decrypt(piece: Piece): void {
    this.put(
      {
        ...this.who(piece),
        verb: 'decrypt',
        from: null,
        to: null,
        bytesCopied: piece.decryptBytes,
        exposedBytes: 0,
      },
      1,
    );
  }

  private who(piece: Piece): { partition: number; id: string | null } {
    const made = this.numbers[piece.id] !== piece.partition.number;
    return { partition: this.numbers[piece.id]!, id: made ? null : piece.partition.id };
  }

  private shrink(piece: Piece, tools: ToolSet): void {
    const given = this.settlement.amounts[piece.id]!;
    const from = this.now[piece.id]!;
    const to = { first: from.first, sectors: (piece.slots - given) * this.board.slot };
    const bytesCopied = usedBeyond(piece.partition.volume!, to.sectors * this.board.disk.sectorSize);
    this.now[piece.id] = to;
    this.put({ ...this.who(piece), verb: 'shrink', from, to, bytesCopied, exposedBytes: 0 }, tools);
  }

  private leave(act: Extract<Act, { kind: 'delete' | 'set-aside' | 'copy-out' }>): void {
    const piece = this.board.pieces[act.piece]!;
    const who = this.who(piece);
    const from = this.now[piece.id]!;
    const gone = { ...who, from, to: null, exposedBytes: 0 };
    if (act.kind === 'set-aside') {
      this.put({ ...gone, verb: 'set-aside', bytesCopied: piece.asideBytes }, 1);
      return;
    }
    if (act.kind === 'copy-out') {
      const into = { outside: this.board.outside[act.place]!.name };
      this.put({ ...who, ...INSIDE, verb: 'copy', into, bytesCopied: piece.copyBytes }, this.any);
    }
    this.put({ ...gone, verb: 'delete', bytesCopied: 0 }, this.any);
  }

  private act(act: Act): void {
    const { board } = this;
    if ('place' in act) return;
    if (act.kind === 'extend') return this.extend();
    const piece = board.pieces[act.piece]!;
    const first = this.places[act.to]! * board.slot;
    if (act.kind === 'resize') return this.resize(piece, first, act.tools);
    const from = this.now[piece.id]!;
    if (act.kind === 'move') {
      const to = { first, sectors: from.sectors };
      if (first === from.first) this.idle = true;
      const exposedBytes = overlaps(from, to) ? piece.moveBytes : 0;
      this.now[piece.id] = to;
      const repair = bootRepair(board, piece.partition);
      this.put(
        {
          ...this.who(piece),
          verb: 'move',
          from,
          to,
          bytesCopied: piece.moveBytes,
          exposedBytes,
          ...(repair ? { repair } : {}),
        },
        act.tools,
        piece.atRestart,
      );
      return;
    }
    const to = { first, sectors: this.anew(piece) };
    const create = creationOf(piece.partition);
    if (act.kind === 'put-back') {
      this.put(
        {
          ...this.who(piece),
          verb: 'put-back',
          from: null,
          to,
          create,
          bytesCopied: piece.asideBytes,
          exposedBytes: 0,
        },
        1,
      );
    } else if (act.kind === 'copy-back') {
      const made = this.make(piece, to, create, act.way.tools);
      const place = this.outsideOf(piece.id);
      this.put(
        {
          ...made,
          ...INSIDE,
          verb: 'copy',
          fromOutside: place,
          of: piece.partition.number,
          bytesCopied: piece.copyBytes,
        },
        act.way.tools,
      );
    } else {
      const old = this.who(piece);
      const { partition } = this.make(piece, to, create, act.way.tools);
      this.put(
        { ...old, ...INSIDE, verb: 'copy', into: { partition }, bytesCopied: piece.copyBytes },
        act.way.tools,
      );
      this.put({ ...old, verb: 'delete', from, to: null, bytesCopied: 0, exposedBytes: 0 }, act.way.tools);
    }
    this.now[piece.id] = to;
  }

  private make(piece: Piece, to: Extent, create: Creation, tools: ToolSet): { partition: number; id: null } {
    this.numbers[piece.id] = this.nextNumber++;
    const who = { partition: this.numbers[piece.id]!, id: null };
    this.put({ ...who, verb: 'create', from: null, to, create, bytesCopied: 0, exposedBytes: 0 }, tools);
    return who;
  }

  private outsideOf(piece: number): string {
    const out = actsOf(this.settlement.skeleton).find(
      (act) => act.kind === 'copy-out' && act.piece === piece,
    );
    return this.board.outside[(out as { place: number }).place]!.name;
  }

  private anew(piece: Piece): number {
    const given = this.settlement.amounts[this.board.pieces.length + piece.id]!;
    return given > 0 ? (piece.slots - given) * this.board.slot : piece.sectors;
  }

  private extend(): void {
    const piece = this.board.pieces[this.board.target]!;
    const from = this.now[piece.id]!;
    const to = { first: from.first, sectors: this.aim.goal };
    const decrypted = this.choices.some(
      ({ step }) => step.verb === 'decrypt' && step.partition === piece.partition.number,
    );
    this.now[piece.id] = to;
    this.put(
      { ...this.who(piece), verb: 'extend', from, to, bytesCopied: 0, exposedBytes: 0 },
      extenders(this.board, decrypted),
    );
  }

  /** One end of the extended partition goes to another place. */
  private resize(piece: Piece, at: number, tools: ToolSet): void {
    const frame = this.board.pieces.filter((one) => one.partition === piece.partition);
    const extent = (): Extent => {
      const [open, close] = frame.map((one) => this.now[one.id]!.first);
      return { first: open!, sectors: close! - open! };
    };
    const from = extent();
    this.now[piece.id] = { first: at, sectors: 0 };
    const to = extent();
    if (to.sectors === from.sectors) this.idle = true;
    const verb = to.sectors < from.sectors ? 'shrink' : 'extend';
    this.put({ ...this.who(piece), verb, from, to, bytesCopied: 0, exposedBytes: 0 }, tools);
  }
}

const WHOLE = { partition: null, id: null, from: null, to: null } as const;
const INSIDE = { from: null, to: null, exposedBytes: 0 } as const;

function asksToDecrypt(act: Act, board: Board): boolean {
  if (act.kind === 'move') return act.decrypt;
  if (act.kind === 'copy-in') return act.way.decrypted;
  return act.kind === 'copy-out' && board.pieces[act.piece]!.copies[0]!.decrypted;
}

export const creationOf = ({ type, attributes, name, volume }: Partition): Creation => ({
  type,
  attributes,
  name,
  fileSystem: volume?.fileSystem ?? 'unknown',
  clusterSize: volume?.clusterSize ?? 0,
  label: volume?.label ?? '',
});

/** On MBR boot data and letters are bound to signature and byte offset (domain facts 3). */
export function bootRepair(board: Pick<Board, 'disk'>, partition: Partition): string | null {
  if (board.disk.table !== 'mbr') return null;
  if (partition.active || partition.role === 'windows' || partition.role === 'system') {
    return 'Repair the boot data afterwards: on an MBR disk it is bound to the place where this partition starts.';
  }
  return partition.letter
    ? `See that it is ${partition.letter}: again afterwards: on an MBR disk the letter is bound to the place.`
    : null;
}
