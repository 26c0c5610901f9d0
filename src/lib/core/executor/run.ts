import { failure, success, type Outcome, type Problem } from '../problem';
import type { Step } from '../steps';
import { countArrivedBytes, endOf, executeOperation, startOf, undoOperation } from './operations';
import type { ExecutionContext } from './transfer';
import { CountingDevice } from './devices/wrappers';
import type { Device } from './devices/device';
import { Journal, type JournalHead, type RunState } from './journal';
import { findMark, placeForMark, readMark, removeMark, writeMark, type Mark } from './mark';
import type { Operation, DiskPlace, Relocated } from './plan';
import { checkBeforeRun } from './preflight';
import { readTableNow } from './table/tableNow';
import type { Planned, PlannedOperation } from './verbs/ground';
import { planStep } from './verbs/planStep';
import {
  findFirstChange,
  identityOf,
  sameDisk,
  findSteadyAt,
  findSteadyDuring,
  summed,
  type WitnessSum,
} from './witness';

/** Devices and hooks of a run. */
export interface RunSetup {
  disk: Device;
  /** On another disk than the one that is worked on. */
  journal: Device;
  /** The run's store beside the disk, by name; made empty where it is missing. */
  aside: (name: string) => Promise<Device>;
  steps: readonly Step[];
  /** A word for the route, the same for the same route only. */
  route: string;
  /** A GUID for what a step makes; the same for the same step. */
  newId: (step: number) => string;
  /** Serial number of the disk, where its file or its drive has one. */
  serial?: string | null;
  /** The journal's place, for whoever finds the disk without it. */
  journalAt?: string;
}

/** Facts that are known only when a run begins. */
export interface RunBeginning {
  /** A GUID of this run alone. */
  run: string;
  /** RFC 3339, UTC. */
  begunAt: string;
  /** SHA-256 of the list of what the disk holds; null: there is none. */
  stock: string | null;
}

/** Progress of a run, for people. */
export interface RunProgress {
  step: number;
  /** Bytes of the present step that have arrived, of how many. */
  arrived: number;
  toArrive: number;
  backing: boolean;
  /** Bytes of the journal in use. */
  journal: number;
  /** Bytes that each step has written so far. */
  written: readonly number[];
  /** Power cuts that the run survived. */
  cuts: number;
}

export interface RunHooks {
  /** Called after each piece; it may take its time, and stops the run by an exception. */
  progress?: (progress: RunProgress) => Promise<void>;
}

/**
 * What speaks against beginning a route on a disk. Nothing is written.
 *
 * Problem codes: `in-work` (a run is under way on it), those of `tableNow` and of {@link checkBeforeRun}.
 */
export async function refusalsOf(disk: Device, steps: readonly Step[]): Promise<Problem[]> {
  const table = await readTableNow(disk);
  if (!table.ok) return table.problems;
  const mark = await findMark(disk);
  return mark ? [inWork(mark)] : checkBeforeRun(disk, table.value, steps);
}

/**
 * Carries a route's steps out on a disk, one after the other. At every instant the journal and the disk together tell
 * how to go on and how to take the present step back; after a power cut a new run on the same devices does either
 * (docs/executor.md).
 */
export class RouteRun {
  private readonly disk: CountingDevice;
  private readonly asides = new Map<string, Device>();
  /** The next plan, where it is known since the present one was made. */
  private next: (() => Promise<Planned>) | null = null;
  /** Sum over everything that does not change during an operation, taken once as it begins. */
  private steady: { operation: Operation | null; sums: WitnessSum[] } | null = null;

  private constructor(
    private readonly setup: RunSetup,
    private readonly journal: Journal,
    private readonly hooks: RunHooks,
  ) {
    this.disk = new CountingDevice(setup.disk);
  }

  /**
   * Makes the journal of a new run on an empty device. Nothing is written to the disk.
   *
   * Problem codes: those of {@link refusalsOf}.
   */
  static async begin(
    setup: RunSetup,
    { run, begunAt, stock }: RunBeginning,
    hooks: RunHooks = {},
  ): Promise<Outcome<RouteRun>> {
    const { disk, journal, route, steps, serial = null } = setup;
    const [problem, ...more] = await refusalsOf(disk, steps);
    if (problem) return failure(problem, ...more);
    const table = await readTableNow(disk);
    if (!table.ok) return table;
    const head: JournalHead = {
      run,
      begunAt,
      route,
      disk: await identityOf(disk, serial),
      markAt: await placeForMark(disk, table.value, steps),
      stock,
    };
    const device = async () => disk;
    const state = {
      ...AT_FIRST,
      size: disk.size,
      sums: await summed(device, await findSteadyDuring(disk, null)),
    };
    return success(new RouteRun(setup, await Journal.create(journal, head, state), hooks));
  }

  /**
   * A run that was begun, as its journal tells. Nothing is written before disk and journal are found to belong
   * together.
   *
   * Problem codes: those of `Journal.open`, `other-run` (the journal belongs to another route), `other-disk`,
   * `journal-old` (the disk is ahead of it), `disk-old` (it is ahead of the disk), `changed` (something else wrote to
   * the disk).
   */
  static async resume(setup: RunSetup, hooks: RunHooks = {}): Promise<Outcome<RouteRun>> {
    const journal = await Journal.open(setup.journal);
    if (!journal.ok) return journal;
    if (journal.value.head.route !== setup.route)
      return failure({
        code: 'other-run',
        path: '',
        message: 'The journal belongs to another route. Give the one that this run began with.',
      });
    const run = new RouteRun(setup, journal.value, hooks);
    const belongs = await run.belongs();
    return belongs.ok ? success(run) : belongs;
  }

  get state(): RunState {
    return this.journal.state;
  }

  get head(): JournalHead {
    return this.journal.head;
  }

  /** A step was begun and neither finished nor taken back. */
  get within(): boolean {
    return this.state.op !== null || this.state.batch > 0;
  }

  get done(): boolean {
    return this.state.step >= this.setup.steps.length;
  }

  /** Notes that the power went, so that the proof can say how often. */
  async noteCut(): Promise<void> {
    await this.note({ cuts: this.state.cuts + 1 });
  }

  /**
   * Goes on from where it is to the end of the route. A step that turns out not to be possible stops it between two
   * steps.
   *
   * Problem codes: those of the steps, `journal-too-small`.
   */
  async forward(): Promise<Outcome<null>> {
    while (!this.done) {
      if (this.state.op === null) {
        const begun = await this.begin();
        if (!begun.ok) return begun;
      }
      const { operations, marks, more, relocated } = this.journal.stepPlan!;
      for (let op = this.state.op!; op < operations.length; op++) {
        const operation = operations[op]!;
        await executeOperation(this.context(operations, op), operation, this.state.at);
        const next = operations[op + 1];
        if (next) await this.note({ op: op + 1, at: startOf(next), backing: false });
      }
      const { state } = this;
      await this.note({
        ...(more === null
          ? { step: state.step + 1, batch: 0, earlier: 0 }
          : { batch: state.batch + 1, earlier: state.earlier + bytesOf(operations) }),
        op: null,
        at: 0,
        backing: false,
        marked: marks === null || state.marked.includes(marks) ? state.marked : [...state.marked, marks],
        relocated: withRelocated(state.relocated, state.step, relocated),
      });
    }
    await this.unmark();
    return success(null);
  }

  /**
   * Takes the present step back: table, sizes and files are as before it. Between two steps there is nothing to take
   * back. Of a step in several plans it is the one in hand; the others have changed nothing of that.
   *
   * Problem codes: those of the step, where the one in hand has to be found out anew.
   */
  async back(): Promise<Outcome<null>> {
    if (!this.within) return success(null);
    if (this.state.op === null) {
      // Between two plans of a step the next one knows how to take back what the ones before it left.
      const planned = await this.planned();
      if (!planned.ok) return planned;
      if (planned.value.operations.length > 0) {
        const begun = await this.start(planned.value);
        if (!begun.ok) return begun;
      }
    }
    const operations = this.journal.stepPlan?.operations ?? [];
    for (let op = this.state.op ?? -1; op >= 0; op--) {
      const operation = operations[op]!;
      await undoOperation(this.context(operations, op), operation, this.state.at);
      const before = operations[op - 1];
      if (before) await this.note({ op: op - 1, at: endOf(before), backing: true });
    }
    this.next = null;
    await this.note({ op: null, at: 0, backing: false, batch: 0, earlier: 0 });
    if (this.isAtRest(this.state)) await this.unmark();
    return success(null);
  }

  /**
   * Takes the present step back and ends the run there: the disk is as between two steps and carries no mark any more.
   *
   * Problem codes: those of {@link back}.
   */
  async end(): Promise<Outcome<null>> {
    const back = await this.back();
    if (!back.ok) return back;
    // Noted first: a cut before the mark is gone leaves a run that can be ended again.
    await this.note({ ended: true });
    await this.unmark();
    return back;
  }

  private async begin(): Promise<Outcome<null>> {
    const { state } = this;
    const planned = this.next ? await this.next() : await this.planned();
    this.next = null;
    if (!planned.ok) return planned;
    if (planned.value.operations.length > 0) return this.start(planned.value);
    // Nothing to be done; the next call of `begin` looks at the step behind it.
    await this.note({ step: state.step + 1, op: null, at: 0, batch: 0, earlier: 0 });
    return this.done ? success(null) : this.begin();
  }

  /** From here on the plan can be carried out, or taken back. */
  private async start(planned: PlannedOperation): Promise<Outcome<null>> {
    const { state } = this;
    const { operations, marks = null, more = null, relocated = null, next = null } = planned;
    const plan = { operations, marks, more, relocated };
    const packed = this.journal.packed(plan);
    if (!packed) {
      return failure({
        code: 'journal-too-small',
        path: `/steps/${state.step}`,
        message: 'What is in use lies in too many pieces for the journal. Nothing was written.',
      });
    }
    await this.journal.takePlan(plan, packed);
    await this.note({ op: 0, at: startOf(operations[0]!), backing: false });
    // Twice: a copy of the journal from before it is then two states behind, also when nothing of the first window is
    // noted yet.
    await this.note({});
    this.next = next;
    return success(null);
  }

  private async planned(): Promise<Planned> {
    const { setup, state } = this;
    const table = await readTableNow(this.disk);
    if (!table.ok) return table;
    return planStep(
      {
        disk: this.disk,
        table: table.value,
        marked: state.marked,
        newId: () => setup.newId(state.step),
        aside: (name) => this.aside(name),
        before: setup.steps.slice(0, state.step),
        after: setup.steps.slice(state.step + 1),
        batch: state.batch,
        told: () => this.progress(0, 0),
      },
      setup.steps[state.step]!,
    );
  }

  private context(operations: readonly Operation[], op: number): ExecutionContext {
    const before = bytesOf(operations.slice(0, op));
    const toArrive = bytesOf(operations) + (this.journal.stepPlan!.more ?? 0);
    return {
      device: this.on,
      progress: (at) => this.progress(before + countArrivedBytes(operations[op]!, at), toArrive),
      note: (at) => this.note({ at }),
    };
  }

  private async progress(now: number, toArrive: number): Promise<void> {
    if (!this.hooks.progress) return;
    const { step, backing, cuts, earlier } = this.state;
    await this.hooks.progress({
      step,
      arrived: earlier + now,
      toArrive: earlier + toArrive,
      backing,
      journal: this.journal.used,
      written: this.written(),
      cuts,
    });
  }

  private async aside(name: string): Promise<Device> {
    const known = this.asides.get(name) ?? (await this.setup.aside(name));
    this.asides.set(name, known);
    return known;
  }

  /** Bytes that each step has written, with what is not noted yet. */
  private written(): number[] {
    const written = [...this.state.written];
    written[this.state.step] = (written[this.state.step] ?? 0) + this.disk.bytesWritten;
    return written;
  }

  /**
   * Everything that was written is made safe, and with it the number of the state on the disk itself; then the state is
   * noted. So a disk may be one state ahead of its journal, and never more.
   */
  private async note(change: Partial<RunState>): Promise<void> {
    const written = this.written();
    const state: RunState = {
      ...this.state,
      ended: false,
      written,
      ...change,
      turn: this.state.turn + 1,
    };
    const { markAt, run, begunAt } = this.head;
    if (markAt !== null && !this.isAtRest(state))
      await writeMark(this.disk, markAt, {
        run,
        turn: state.turn,
        begunAt,
        journal: this.setup.journalAt ?? '',
      });
    await this.disk.flush();
    for (const device of this.asides.values()) await device.flush();
    this.disk.bytesWritten = 0;
    await this.journal.note({ ...state, size: this.disk.size, sums: await this.sums(state) });
  }

  /** Sums over what stays as it is until the next state, whatever happens. */
  private async sums({ op, at }: RunState): Promise<WitnessSum[]> {
    const operation = op === null ? null : this.journal.stepPlan!.operations[op]!;
    if (!this.steady || this.steady.operation !== operation || operation === null)
      this.steady = {
        operation,
        sums: await summed(this.on, await findSteadyDuring(this.disk, operation)),
      };
    const near = operation ? await summed(this.on, findSteadyAt(operation, at)) : [];
    return [...this.steady.sums, ...near];
  }

  private readonly on = (place: DiskPlace): Promise<Device> =>
    place === 'disk' ? Promise.resolve(this.disk) : this.aside(place.slice('aside:'.length));

  /** Nothing of the route is done, or all of it, or the run was ended: the disk needs no mark then. */
  private isAtRest({ op, batch, step, ended }: RunState): boolean {
    return op === null && batch === 0 && (ended || step === 0 || step >= this.setup.steps.length);
  }

  private async unmark(): Promise<void> {
    const { markAt } = this.head;
    if (markAt === null || !(await readMark(this.disk, markAt))) return;
    await removeMark(this.disk, markAt);
    await this.disk.flush();
    this.disk.bytesWritten = 0;
  }

  /** Whether the disk is the one of the journal, and as the state says that it is. */
  private async belongs(): Promise<Outcome<null>> {
    const { head, state, setup } = this;
    const same = sameDisk(head.disk, await identityOf(this.disk, setup.serial ?? null));
    if (!same.ok) return same;
    const marked = await this.markFits();
    if (!marked.ok) return marked;
    const operation = state.op === null ? null : this.journal.stepPlan?.operations[state.op];
    const sizes = operation?.op === 'resize' ? [operation.before, operation.after] : [state.size];
    if (!sizes.includes(this.disk.size))
      return notAsLeft(`it has ${this.disk.size} bytes, not ${sizes.join(' or ')}`);
    const changed = await findFirstChange(this.on, state.sums);
    return changed ? notAsLeft(whatChanged(changed, this.disk.sectorSize)) : success(null);
  }

  private async markFits(): Promise<Outcome<null>> {
    const { markAt, run } = this.head;
    if (markAt === null) return success(null);
    const mark = await readMark(this.disk, markAt);
    const { turn } = this.state;
    const atRest = this.isAtRest(this.state);
    if (!mark) return atRest ? success(null) : diskOld('It carries no mark of this run');
    if (mark.run !== run) return diskOld('It carries the mark of another run');
    if (mark.turn > turn + 1) return JOURNAL_OLD;
    return mark.turn < (atRest ? turn - 1 : turn)
      ? diskOld('Its mark is older than the journal')
      : success(null);
  }
}

const inWork = ({ begunAt, journal }: Mark): Problem => ({
  code: 'in-work',
  path: '',
  message: `A run is under way on this disk${begunAt ? `, begun ${begunAt}` : ''}. Only its journal knows where the bytes are${journal ? `; it was at ${journal}` : ''}. Go on with it or take it back. Where the journal is gone, restore the disk from its backup.`,
});

const NOTHING_WRITTEN =
  'Nothing was written. Give the disk and the journal as the run left them, or restore the disk from its backup.';
const diskOld = (reason: string) =>
  failure({
    code: 'disk-old',
    path: '',
    message: `The disk is not as this run left it. ${reason}: it was restored from a backup, or is another disk. ${NOTHING_WRITTEN}`,
  });
const JOURNAL_OLD = failure({
  code: 'journal-old',
  path: '',
  message: `The journal is an older copy: the run on this disk has gone on since. ${NOTHING_WRITTEN}`,
});
const notAsLeft = (what: string) =>
  failure({
    code: 'changed',
    path: '',
    message: `The disk is not as this run left it: ${what}. It was written to or restored meanwhile, or the journal is an older copy. ${NOTHING_WRITTEN}`,
  });

function whatChanged({ what, on, offset }: WitnessSum, sectorSize: number): string {
  const sector = Math.floor(offset / sectorSize);
  if (on !== 'disk') return 'what the run keeps beside the disk has changed';
  switch (what) {
    case 'table':
      return `the partition table at sector ${sector} has changed`;
    case 'volume':
      return `the file system at sector ${sector} has changed`;
    case 'arrived':
    case 'to-come':
      return `sector ${sector}, next to where the run stopped, holds something else`;
  }
}

const bytesOf = (operations: readonly Operation[]): number =>
  operations.reduce((sum, one) => sum + countArrivedBytes(one, endOf(one)), 0);

/** Relocations of the steps so far, with one more plan's share. */
function withRelocated(
  all: RunState['relocated'],
  step: number,
  more: Relocated | null,
): RunState['relocated'] {
  if (!more) return all;
  const out = Array.from({ length: Math.max(all.length, step + 1) }, (_, i) => all[i] ?? null);
  const before = out[step] ?? { files: 0, bytes: 0, piecesBefore: 0, piecesAfter: 0 };
  out[step] = {
    files: before.files + more.files,
    bytes: before.bytes + more.bytes,
    piecesBefore: before.piecesBefore + more.piecesBefore,
    piecesAfter: before.piecesAfter + more.piecesAfter,
  };
  return out;
}

const AT_FIRST: RunState = {
  step: 0,
  op: null,
  at: 0,
  batch: 0,
  earlier: 0,
  relocated: [],
  backing: false,
  written: [],
  marked: [],
  cuts: 0,
  ended: false,
  turn: 0,
  size: 0,
  sums: [],
};
