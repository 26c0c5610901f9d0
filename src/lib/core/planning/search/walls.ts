import { EPSILON, greater, lesser, Packing, type Fit, type Item, type Question, type Room } from './packing';
import type { Board, Piece } from './pieces';
import type { Reach } from './reach';
import { bit, type Aim, type Status } from './skeleton';

/** What it takes that the target ends with its goal where certain walls keep their found place. null: it can't be. */
export interface Demands {
  rest: Fit | null;
  /** The same where the target makes a single move, clear of its found place. */
  once: Fit | null;
}

const NEVER: Demands = { rest: null, once: null };
const NO_ITEM: Item = { slots: 0, donor: null, gratis: 0 };

/**
 * Walls are the pieces that keep their found place from now on; all others share the rooms between them. Which they are says
 * what donors must give at the least, so it is asked once for each set of walls, not for each skeleton.
 */
export class Walls {
  private readonly known = new Map<string, Map<number, UnderStatus>>();
  /** The same by the object itself: a skeleton's past names its own again and again. */
  private readonly met = new WeakMap<Status, Map<number, UnderStatus>>();
  readonly packing: Packing;

  constructor(
    private readonly board: Board,
    private readonly aim: Aim,
    private readonly reach: Reach,
  ) {
    this.packing = new Packing(board, aim, reach);
  }

  /**
   * What is known where so many pieces are off the disk, made anew, or may be.
   * @param copied pieces whose files go to a new volume from here on, as bits
   * @param past what is asked happened before that
   */
  under(status: Status, copied: number, past = false): UnderStatus {
    const byCopied = this.met.get(status) ?? this.meet(status);
    const key = 2 * copied + (past ? 1 : 0);
    let found = byCopied.get(key);
    if (!found) {
      found = new UnderStatus(this.board, this.aim, this.reach, this.packing, status, copied, past);
      byCopied.set(key, found);
    }
    return found;
  }

  private meet(status: Status): Map<number, UnderStatus> {
    const { moved, gone, pending, remade } = status;
    const key = `${moved}.${gone}.${pending}.${remade}`;
    const byCopied = this.known.get(key) ?? new Map<number, UnderStatus>();
    this.known.set(key, byCopied);
    this.met.set(status, byCopied);
    return byCopied;
  }
}

/** What is known of walls while the disk stands so. */
export class UnderStatus {
  private readonly demanded = new Map<number, Demands>();
  private readonly cleared = new Map<number, Fit | null>();
  private readonly copying = new Map<number, Fit | null>();

  constructor(
    private readonly board: Board,
    private readonly aim: Aim,
    private readonly reach: Reach,
    private readonly packing: Packing,
    private readonly status: Status,
    /** Pieces whose files go to a new volume from here on, as bits. */
    private readonly copied: number,
    private readonly past: boolean,
  ) {}

  demands(walls: number): Demands {
    let found = this.demanded.get(walls);
    if (!found) {
      found = this.everyRoomIsWanted(walls) ? this.ends(walls) : NEVER;
      this.demanded.set(walls, found);
    }
    return found;
  }

  /** What it takes that a piece which is no wall goes clear of its found place, by a move or by a copy of its files. */
  clear(walls: number, piece: Piece, anew = false): Fit | null {
    const known = anew ? this.copying : this.cleared;
    const key = walls * 32 + piece.id;
    let found = known.get(key);
    if (found === undefined) {
      const item = { slots: this.sizeOf(piece), donor: anew ? null : piece, gratis: 0 };
      if (anew) item.gratis = this.lessAnew(piece);
      else if (this.copied & bit(piece.id) && !this.past) item.slots -= this.reach.all[piece.id]!;
      found = this.packing.fitAnywhere(this.question(walls | bit(piece.id), item, false));
      known.set(key, found);
    }
    return found;
  }

  private ends(walls: number): Demands {
    const { board, aim, packing } = this;
    const target = board.pieces[board.target]!;
    if (walls & bit(target.id)) {
      const question = this.question(walls, NO_ITEM, true);
      const i = question.rooms.findIndex((room) => room.left?.id === target.id);
      const room = question.rooms[i]!;
      if (room.end - room.start < -EPSILON) return NEVER;
      return { rest: packing.fit(question, i), once: null };
    }
    const question = this.question(walls, { slots: aim.goal / board.slot, donor: null, gratis: 0 }, true);
    const before = this.question(walls | bit(target.id), { ...NO_ITEM, slots: this.sizeOf(target) }, false);
    const demands = { ...NEVER };
    question.rooms.forEach((room, i) => {
      const rest = packing.fit(question, i);
      if (!rest) return;
      demands.rest = lesser(demands.rest, rest);
      demands.once = lesser(demands.once, greater(rest, this.onceInto(room, before)));
    });
    return demands;
  }

  /**
   * A single move of the target clear of its found place into a room, as large as it was found. To the left it may grow over
   * that place afterwards, to the right it must find all of its goal there.
   */
  private onceInto(room: Room, before: Question): Fit | null {
    const { board, aim } = this;
    let found: Fit | null = null;
    before.rooms.forEach((part, i) => {
      if (part.start < room.start - EPSILON || part.end > room.end + EPSILON) return;
      const right = part.left?.id === board.target;
      if (right && part.end - part.start < aim.goal / board.slot - EPSILON) return;
      found = lesser(found, this.packing.fit(before, i));
    });
    return found;
  }

  /**
   * Whether something from elsewhere could take the room of whatever leaves its place. Where nothing fits in, and the target does
   * not grow into it, all in that room could stay as well. The recovery partition goes for the sake of where it goes, and a volume
   * that is copied after it was shrunk may be larger again.
   */
  private everyRoomIsWanted(walls: number): boolean {
    const { board, reach, status } = this;
    const others = board.pieces.filter((piece) => (walls & bit(piece.id)) === 0);
    return this.packing.rooms(walls, false).every((room) => {
      if (room.left?.id === board.target) return true;
      const inside = others.filter(({ first }) => {
        const at = first / board.slot;
        return at >= room.start - EPSILON && at < room.end - EPSILON;
      });
      if (inside.every(({ id }) => id === board.recovery)) return true;
      if (inside.some(({ id }) => id === board.target)) return true;
      if (inside.some(({ id, shrinks }) => shrinks.length > 0 && (this.copied | status.remade) & bit(id)))
        return true;
      const most = room.end - room.start + (room.left ? reach.all[room.left.id]! : 0);
      return others.some((piece) => {
        if (inside.includes(piece) || status.gone & ~status.pending & bit(piece.id)) return false;
        const less = Math.max(reach.all[piece.id]!, this.lessAnew(piece));
        return this.sizeOf(piece) - less <= most + EPSILON;
      });
    });
  }

  /** What is to fit between these walls, with everything else that is on the disk then. */
  private question(walls: number, item: Item, final: boolean): Question {
    const { board } = this;
    const members: { id: number; slots: number; gratis: number }[] = [];
    let donors = 0;
    let loose = 0;
    for (const piece of board.pieces) {
      const set = bit(piece.id);
      if (walls & set) {
        if (piece.shrinks.length === 0) continue;
        if (this.copied & set && !this.past) loose |= set;
        else donors |= set;
      } else if (piece.id !== board.target || !final) {
        const member = this.memberOf(piece, final);
        if (!member) continue;
        members.push(member);
        const old = this.past && (this.copied & set) !== 0;
        if (piece.shrinks.length > 0 && (old || !this.mayBeAnew(piece))) donors |= set;
      }
    }
    return {
      rooms: this.packing.rooms(walls, final),
      item,
      members,
      donors,
      passing: this.past ? this.copied : 0,
      loose,
    };
  }

  /** null: it need not be on the disk then. */
  private memberOf(piece: Piece, final: boolean): Question['members'][number] | null {
    const { status, reach } = this;
    const { id } = piece;
    const set = bit(id);
    const slots = this.sizeOf(piece);
    if (status.pending & set) return final ? { id, slots, gratis: this.lessAnew(piece) } : null;
    if (status.gone & set) return null;
    if (status.remade & set) return { id, slots, gratis: this.lessAnew(piece) };
    if (!status.moved && piece.deletable && id !== this.board.target) return null;
    if (!this.mayBeAnew(piece)) return { id, slots, gratis: 0 };
    if (this.past && this.copied & set) return { id, slots, gratis: 0 };
    const less = Math.max(this.lessAnew(piece), reach.all[id]!);
    if (!(this.copied & set)) return final ? { id, slots, gratis: less } : null;
    // Before it is copied it may be shrunk, which is not given in the end.
    return final ? { id, slots, gratis: this.lessAnew(piece) } : { id, slots: slots - less, gratis: 0 };
  }

  /** Whether a piece is made anew, or was, or may leave the disk and come back: it may be smaller then without being shrunk. */
  private mayBeAnew(piece: Piece): boolean {
    const { status, board } = this;
    if ((status.pending | status.remade | this.copied) & bit(piece.id)) return true;
    const leaves = piece.asideBytes !== null || (piece.copies.length > 0 && board.outside.length > 0);
    return !status.moved && leaves && piece.id !== board.target;
  }

  private sizeOf = (piece: Piece): number => piece.sectors / this.board.slot;
  private lessAnew = (piece: Piece): number => this.reach.free[this.board.pieces.length + piece.id]!;
}
