import { creationOf, type Intent } from '../../steps';
import type { SearchProblem, Block } from './searchProblem';
import { decryptions, type Assignment } from './assign';
import { actsOf, numberRegrownSlack, type Act, type Aim } from './skeleton';
import { findGreatestPlaces, findLeastPlaces } from './differenceConstraints';

/** Intents before the skeleton's own steps. */
export interface Prelude {
  relocate: boolean;
  /** Whether the disk is enlarged, by as much as its slack says. */
  enlarge: boolean;
  /** Shrinks by exact amounts that the technician holds. */
  held: readonly Intent[];
  /** Intents behind them. */
  last: readonly Intent[];
}

/** The intents of a settled skeleton, with every place as near to the disk's start as it can be, or as far from it. */
export function intentsOf(
  problem: SearchProblem,
  aim: Aim,
  assignment: Assignment,
  prelude: Prelude,
  side: 'least' | 'greatest',
  widening: 'wide' | 'least' = 'least',
): Intent[] | null {
  const { skeleton, amounts } = assignment;
  const find = side === 'least' ? findLeastPlaces : findGreatestPlaces;
  const places = find(skeleton.edges, skeleton.count, amounts);
  return places && new Writer(problem, aim, assignment, prelude, places, widening).write();
}

type Leaving = Extract<Act, { kind: 'delete' | 'set-aside' | 'copy-out' }>;

class Writer {
  private readonly intents: Intent[] = [];
  /** The present number of each block, and the first sector of where it stands. */
  private readonly numbers: number[];
  private readonly firsts: number[];
  private nextNumber: number;

  constructor(
    private readonly problem: SearchProblem,
    private readonly aim: Aim,
    private readonly assignment: Assignment,
    private readonly prelude: Prelude,
    private readonly places: Float64Array,
    private readonly widening: 'wide' | 'least',
  ) {
    this.numbers = problem.blocks.map((block) => block.partition.number);
    this.firsts = problem.blocks.map((block) => block.first);
    // No number that a partition had which is gone by now.
    const { disk, task } = problem;
    this.nextNumber = Math.max(...disk.partitions.map(({ number }) => number), ...task.mayJoin) + 1;
  }

  write(): Intent[] {
    const { problem, assignment, prelude, intents } = this;
    const acts = actsOf(assignment.skeleton);
    if (prelude.enlarge) {
      const slots = assignment.amounts[2 * problem.blocks.length]!;
      intents.push({ verb: 'enlarge-disk', diskSectors: problem.disk.sectors + slots * problem.slot });
    }
    if (prelude.relocate) intents.push({ verb: 'relocate-table' });
    const encrypted = new Set<number>(decryptions(problem, assignment.skeleton, assignment.used).blocks);
    for (const act of acts) if ('block' in act && asksToDecrypt(act, problem)) encrypted.add(act.block);
    for (const id of encrypted) intents.push({ verb: 'decrypt', partition: this.numbers[id]! });
    intents.push(...prelude.held);
    for (const act of acts) if (isLeaving(act)) this.leave(act);
    // Windows shrinks before a mover starts, so that its run is not broken.
    const used = [...assignment.used].sort((a, b) => a.way.tools - b.way.tools || a.block - b.block);
    for (const { block } of used) this.shrink(problem.blocks[block]!);
    for (const act of acts) this.act(act);
    intents.push(...prelude.last);
    return intents;
  }

  private shrink({ id, first, slots }: Block): void {
    const sectors = (slots - this.assignment.amounts[id]!) * this.problem.slot;
    this.intents.push({ verb: 'shrink', partition: this.numbers[id]!, to: { first, sectors } });
  }

  private leave(act: Leaving): void {
    const { intents, problem } = this;
    const partition = this.numbers[act.block]!;
    if (act.kind === 'set-aside') {
      intents.push({ verb: 'set-aside', partition });
      return;
    }
    if (act.kind === 'copy-out') {
      intents.push({ verb: 'copy', partition, into: { outside: problem.outside[act.place]!.name } });
    }
    intents.push({ verb: 'delete', partition, word: WORD });
  }

  private act(act: Act): void {
    if (isLeaving(act)) return;
    const { problem, intents, aim } = this;
    if (act.kind === 'extend') {
      const to = { first: this.firsts[problem.target]!, sectors: aim.goal };
      intents.push({ verb: 'extend', partition: this.numbers[problem.target]!, to });
      return;
    }
    if (act.kind === 'widen') return this.widen(act);
    const block = problem.blocks[act.block]!;
    if (act.kind === 'grow-back') return this.growBack(block);
    if (act.kind === 'aside-late') {
      intents.push({ verb: 'set-aside', partition: this.numbers[block.id]! });
      return;
    }
    const first = this.places[act.to]! * problem.slot;
    const partition = this.numbers[block.id]!;
    if (act.kind === 'resize') return this.resize(block, first);
    this.firsts[block.id] = first;
    if (act.kind === 'copy-target') return this.copyTarget(block, first);
    if (act.kind === 'move') {
      intents.push({ verb: 'move', partition, first });
      return;
    }
    const back = act.kind === 'copy-back' && block.id === problem.target;
    const to = { first, sectors: back ? aim.goal : this.sectorsAnew(block) };
    if (act.kind === 'put-back') {
      intents.push({ verb: 'put-back', partition, to });
      return;
    }
    const made = this.nextNumber++;
    this.numbers[block.id] = made;
    const of = block.partition.number;
    // Only what gives keeps to a bound; what keeps its size may be made by any tool.
    const bounded = block.gives ? { of } : {};
    intents.push({ verb: 'create', partition: made, to, create: creationOf(block.partition), ...bounded });
    if (act.kind === 'copy-back') {
      intents.push({ verb: 'copy-back', partition: made, of, fromOutside: this.outsideOf(block.id) });
    } else {
      intents.push(
        { verb: 'copy', partition, into: { partition: made } },
        { verb: 'delete', partition, word: WORD },
      );
    }
  }

  private copyTarget({ id, partition }: Block, first: number): void {
    const { intents, aim } = this;
    const made = this.nextNumber++;
    const to = { first, sectors: aim.goal };
    intents.push(
      { verb: 'create', partition: made, to, create: creationOf(partition) },
      { verb: 'copy', partition: this.numbers[id]!, into: { partition: made } },
      { verb: 'delete', partition: this.numbers[id]!, word: WORD },
    );
    this.numbers[id] = made;
  }

  private growBack(block: Block): void {
    const { problem, assignment, intents } = this;
    const given = assignment.amounts[numberRegrownSlack(problem, block.id)]!;
    const sectors = given > 0 ? (block.slots - given) * problem.slot : block.sectors;
    const to = { first: this.firsts[block.id]!, sectors };
    intents.push({ verb: 'extend', partition: this.numbers[block.id]!, to });
  }

  /** The target's first extension: by what is needed, or over all the room that lies behind it then. */
  private widen({ slots, right }: Extract<Act, { kind: 'widen' }>): void {
    const { problem, aim, intents } = this;
    const target = problem.blocks[problem.target]!;
    const first = this.firsts[target.id]!;
    const least = target.sectors + slots * problem.slot;
    const end = right === null ? problem.area.end : this.firsts[right]!;
    const room = Math.floor(end / problem.slot) * problem.slot - first;
    const wide = Math.max(least, Math.min(room, aim.goal - problem.slot));
    const sectors = this.widening === 'wide' ? wide : least;
    intents.push({ verb: 'extend', partition: this.numbers[target.id]!, to: { first, sectors } });
  }

  private outsideOf(block: number): string {
    const out = actsOf(this.assignment.skeleton).find(
      (act): act is Extract<Leaving, { kind: 'copy-out' }> => act.kind === 'copy-out' && act.block === block,
    );
    return this.problem.outside[out!.place]!.name;
  }

  private sectorsAnew(block: Block): number {
    const given = this.assignment.amounts[this.problem.blocks.length + block.id]!;
    return given > 0 ? (block.slots - given) * this.problem.slot : block.sectors;
  }

  /** One end of the extended partition goes to another place. */
  private resize(block: Block, first: number): void {
    const ends = this.problem.blocks.filter((one) => one.partition === block.partition);
    const extent = () => {
      const [open, close] = ends.map((one) => this.firsts[one.id]!);
      return { first: open!, sectors: close! - open! };
    };
    const from = extent();
    this.firsts[block.id] = first;
    const to = extent();
    const verb = to.sectors < from.sectors ? 'shrink' : 'extend';
    this.intents.push({ verb, partition: this.numbers[block.id]!, to });
  }
}

/** Everything that a found route deletes was allowed with the goal, or copied. */
const WORD = 'as asked for with the goal';

const isLeaving = (act: Act): act is Leaving =>
  act.kind === 'delete' || act.kind === 'set-aside' || act.kind === 'copy-out';

function asksToDecrypt(act: Exclude<Act, { kind: 'extend' }>, problem: SearchProblem): boolean {
  if (act.kind === 'move' || act.kind === 'copy-target') return act.decrypt;
  if (act.kind === 'copy-in') return act.way.decrypted;
  return act.kind === 'copy-out' && problem.blocks[act.block]!.copies[0]!.decrypted;
}
