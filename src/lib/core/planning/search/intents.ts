import { creationOf, type Intent } from '../../steps';
import type { Board, Piece } from './pieces';
import { decryptions, type Settlement } from './settle';
import { actsOf, type Act, type Aim } from './skeleton';
import { greatestPlaces, leastPlaces } from './tension';

/** What stands before the skeleton's own steps. */
export interface Prelude {
  relocate: boolean;
  /** Whether the disk is enlarged, by as much as its relief says. */
  enlarge: boolean;
  /** Shrinks by exact amounts that the technician holds. */
  held: readonly Intent[];
}

/** The intents of a settled skeleton, with every place as near to the disk's start as it can be, or as far from it. */
export function intentsOf(
  board: Board,
  aim: Aim,
  settlement: Settlement,
  prelude: Prelude,
  side: 'least' | 'greatest',
): Intent[] | null {
  const { skeleton, amounts } = settlement;
  const find = side === 'least' ? leastPlaces : greatestPlaces;
  const places = find(skeleton.edges, skeleton.count, amounts);
  return places && new Writer(board, aim, settlement, prelude, places).write();
}

type Leaving = Extract<Act, { kind: 'delete' | 'set-aside' | 'copy-out' }>;

class Writer {
  private readonly intents: Intent[] = [];
  /** The present number of each piece, and the first sector of where it stands. */
  private readonly numbers: number[];
  private readonly firsts: number[];
  private nextNumber: number;

  constructor(
    private readonly board: Board,
    private readonly aim: Aim,
    private readonly settlement: Settlement,
    private readonly prelude: Prelude,
    private readonly places: Float64Array,
  ) {
    this.numbers = board.pieces.map((piece) => piece.partition.number);
    this.firsts = board.pieces.map((piece) => piece.first);
    this.nextNumber = Math.max(...board.disk.partitions.map((partition) => partition.number)) + 1;
  }

  write(): Intent[] {
    const { board, settlement, prelude, intents } = this;
    const acts = actsOf(settlement.skeleton);
    if (prelude.enlarge) {
      const slots = settlement.amounts[2 * board.pieces.length]!;
      intents.push({ verb: 'enlarge-disk', diskSectors: board.disk.sectors + slots * board.slot });
    }
    if (prelude.relocate) intents.push({ verb: 'relocate-table' });
    const encrypted = new Set<number>(decryptions(board, settlement.skeleton, settlement.used).pieces);
    for (const act of acts) if ('piece' in act && asksToDecrypt(act, board)) encrypted.add(act.piece);
    for (const id of encrypted) intents.push({ verb: 'decrypt', partition: this.numbers[id]! });
    intents.push(...prelude.held);
    for (const act of acts) if (isLeaving(act)) this.leave(act);
    // Windows shrinks before a mover starts, so that its run is not broken.
    const used = [...settlement.used].sort((a, b) => a.way.tools - b.way.tools || a.piece - b.piece);
    for (const { piece } of used) this.shrink(board.pieces[piece]!);
    for (const act of acts) this.act(act);
    return intents;
  }

  private shrink({ id, first, slots }: Piece): void {
    const sectors = (slots - this.settlement.amounts[id]!) * this.board.slot;
    this.intents.push({ verb: 'shrink', partition: this.numbers[id]!, to: { first, sectors } });
  }

  private leave(act: Leaving): void {
    const { intents, board } = this;
    const partition = this.numbers[act.piece]!;
    if (act.kind === 'set-aside') {
      intents.push({ verb: 'set-aside', partition });
      return;
    }
    if (act.kind === 'copy-out') {
      intents.push({ verb: 'copy', partition, into: { outside: board.outside[act.place]!.name } });
    }
    intents.push({ verb: 'delete', partition, word: WORD });
  }

  private act(act: Act): void {
    if (isLeaving(act)) return;
    const { board, intents, aim } = this;
    if (act.kind === 'extend') {
      const to = { first: this.firsts[board.target]!, sectors: aim.goal };
      intents.push({ verb: 'extend', partition: this.numbers[board.target]!, to });
      return;
    }
    const piece = board.pieces[act.piece]!;
    const first = this.places[act.to]! * board.slot;
    const partition = this.numbers[piece.id]!;
    if (act.kind === 'resize') return this.resize(piece, first);
    this.firsts[piece.id] = first;
    if (act.kind === 'move') {
      intents.push({ verb: 'move', partition, first });
      return;
    }
    const to = { first, sectors: this.sectorsAnew(piece) };
    if (act.kind === 'put-back') {
      intents.push({ verb: 'put-back', partition, to });
      return;
    }
    const made = this.nextNumber++;
    this.numbers[piece.id] = made;
    const of = piece.partition.number;
    // Only what gives keeps to a bound; what keeps its size may be made by any tool.
    const bounded = piece.gives ? { of } : {};
    intents.push({ verb: 'create', partition: made, to, create: creationOf(piece.partition), ...bounded });
    if (act.kind === 'copy-back') {
      intents.push({ verb: 'copy-back', partition: made, of, fromOutside: this.outsideOf(piece.id) });
    } else {
      intents.push(
        { verb: 'copy', partition, into: { partition: made } },
        { verb: 'delete', partition, word: WORD },
      );
    }
  }

  private outsideOf(piece: number): string {
    const out = actsOf(this.settlement.skeleton).find(
      (act): act is Extract<Leaving, { kind: 'copy-out' }> => act.kind === 'copy-out' && act.piece === piece,
    );
    return this.board.outside[out!.place]!.name;
  }

  private sectorsAnew(piece: Piece): number {
    const given = this.settlement.amounts[this.board.pieces.length + piece.id]!;
    return given > 0 ? (piece.slots - given) * this.board.slot : piece.sectors;
  }

  /** One end of the extended partition goes to another place. */
  private resize(piece: Piece, first: number): void {
    const ends = this.board.pieces.filter((one) => one.partition === piece.partition);
    const extent = () => {
      const [open, close] = ends.map((one) => this.firsts[one.id]!);
      return { first: open!, sectors: close! - open! };
    };
    const from = extent();
    this.firsts[piece.id] = first;
    const to = extent();
    const verb = to.sectors < from.sectors ? 'shrink' : 'extend';
    this.intents.push({ verb, partition: this.numbers[piece.id]!, to });
  }
}

/** Everything that a found route deletes was allowed with the goal, or copied. */
const WORD = 'as asked for with the goal';

const isLeaving = (act: Act): act is Leaving =>
  act.kind === 'delete' || act.kind === 'set-aside' || act.kind === 'copy-out';

function asksToDecrypt(act: Exclude<Act, { kind: 'extend' }>, board: Board): boolean {
  if (act.kind === 'move') return act.decrypt;
  if (act.kind === 'copy-in') return act.way.decrypted;
  return act.kind === 'copy-out' && board.pieces[act.piece]!.copies[0]!.decrypted;
}
