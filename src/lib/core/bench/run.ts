import { failure, success, type Outcome } from '../problem';
import type { Step } from '../steps';
import { arrived, beginOf, carry, endOf, takeBack, type Bench } from './carry';
import { CountingDevice } from './devices/wrappers';
import type { Device } from './devices/device';
import { Journal, JournalDamage, type RunState } from './journal';
import type { Operation, Place, Relocated } from './plan';
import { preflight } from './preflight';
import { tableNow } from './table/tableNow';
import type { Planned, PlannedStep } from './verbs/ground';
import { planStep } from './verbs/planStep';

/** What a run is carried out with. */
export interface RunSetup {
  disk: Device;
  /** On another disk than the one that is worked on. */
  journal: Device;
  /** What the run keeps beside the disk, by name; made empty where it is not there yet. */
  aside: (name: string) => Promise<Device>;
  steps: readonly Step[];
  /** Names the run; the journal of another is refused. */
  run: string;
  /** A word for the route, the same for the same route only. */
  route: string;
  /** A GUID for what a step makes; the same for the same step. */
  newId: (step: number) => string;
}

/** How far a run is, for people. */
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
  /** Told after each piece; it may take its time, and stops the run by throwing. */
  progress?: (progress: RunProgress) => Promise<void>;
}

/**
 * Carries a route's steps out on a disk, one after the other. At every instant the journal and the disk together tell how to go
 * on and how to take the present step back; after a power cut a new run on the same devices does either (docs/bench.md).
 */
export class Run {
  private readonly disk: CountingDevice;
  private readonly asides = new Map<string, Device>();
  /** What comes after the plan in hand, where it is known from when that was made. */
  private next: (() => Promise<Planned>) | null = null;

  private constructor(
    private readonly setup: RunSetup,
    private readonly journal: Journal,
    private readonly hooks: RunHooks,
  ) {
    this.disk = new CountingDevice(setup.disk);
  }

  /**
   * A new run, or one that was cut: the journal tells. Nothing is written to the disk.
   *
   * Problem codes: `other-run` (the journal belongs to another), `journal-damaged`, and those of {@link preflight}.
   */
  static async open(setup: RunSetup, hooks: RunHooks = {}): Promise<Outcome<Run>> {
    let journal: Journal;
    try {
      journal = await Journal.open(setup.journal);
    } catch (error) {
      if (!(error instanceof JournalDamage)) throw error;
      return failure({
        code: 'journal-damaged',
        path: '',
        message: `The journal can’t be used: ${error.message}.`,
      });
    }
    const { state } = journal;
    if (state && (state.run !== setup.run || state.route !== setup.route)) {
      return failure({
        code: 'other-run',
        path: '',
        message:
          'The journal belongs to another run or another route. Give the one that this run began with.',
      });
    }
    const run = new Run(setup, journal, hooks);
    if (state) return success(run);
    const table = await tableNow(setup.disk);
    if (!table.ok) return table;
    const problems = await preflight(setup.disk, table.value, setup.steps);
    if (problems.length > 0) return failure(...problems);
    await journal.note(fresh(setup));
    return success(run);
  }

  get state(): RunState {
    return this.journal.state!;
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
    await this.journal.note({ ...this.state, cuts: this.state.cuts + 1 });
  }

  /**
   * Goes on from where it is to the end of the route. A step that turns out not to be possible stops it between two steps.
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
        await carry(this.bench(operations, op), operation, this.state.at);
        await this.flush();
        const next = operations[op + 1];
        if (next) await this.note({ op: op + 1, at: beginOf(next), backing: false });
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
    return success(null);
  }

  /**
   * Takes the present step back: table, sizes and files are as before it. Between two steps there is nothing to take back. Of a
   * step in several plans it is the one in hand; the others have changed nothing of that.
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
      await takeBack(this.bench(operations, op), operation, this.state.at);
      await this.flush();
      const before = operations[op - 1];
      if (before) await this.note({ op: op - 1, at: endOf(before), backing: true });
    }
    this.next = null;
    await this.note({ op: null, at: 0, backing: false, batch: 0, earlier: 0 });
    return success(null);
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
  private async start(planned: PlannedStep): Promise<Outcome<null>> {
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
    await this.journal.begin({ ...state, op: 0, at: beginOf(operations[0]!), backing: false }, plan, packed);
    this.next = next;
    return success(null);
  }

  private async planned(): Promise<Planned> {
    const { setup, state } = this;
    const table = await tableNow(this.disk);
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

  private bench(operations: readonly Operation[], op: number): Bench {
    const before = bytesOf(operations.slice(0, op));
    const toArrive = bytesOf(operations) + (this.journal.stepPlan!.more ?? 0);
    return {
      device: (place: Place) =>
        place === 'disk' ? Promise.resolve(this.disk) : this.aside(place.slice('aside:'.length)),
      progress: (at) => this.progress(before + arrived(operations[op]!, at), toArrive),
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

  private async flush(): Promise<void> {
    await this.disk.flush();
    for (const device of this.asides.values()) await device.flush();
  }

  /** Bytes that each step has written, with what is not noted yet. */
  private written(): number[] {
    const written = [...this.state.written];
    written[this.state.step] = (written[this.state.step] ?? 0) + this.disk.bytesWritten;
    return written;
  }

  private async note(change: Partial<RunState>): Promise<void> {
    const { state } = this;
    const written = this.written();
    this.disk.bytesWritten = 0;
    await this.journal.note({ ...state, written, ...change });
  }
}

const bytesOf = (operations: readonly Operation[]): number =>
  operations.reduce((sum, one) => sum + arrived(one, endOf(one)), 0);

/** What steps have relocated so far, with one more plan's share. */
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

const fresh = ({ run, route }: RunSetup): RunState => ({
  run,
  route,
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
});
