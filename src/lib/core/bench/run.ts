import { failure, success, type Outcome } from '../problem';
import type { Step } from '../steps';
import { arrived, beginOf, carry, endOf, takeBack, type Bench } from './carry';
import { CountingDevice } from './devices/wrappers';
import type { Device } from './devices/device';
import { Journal, JournalDamage, type RunState } from './journal';
import type { Operation, Place } from './plan';
import { preflight } from './preflight';
import { tableNow } from './table/tableNow';
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
    return this.state.op !== null;
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
      if (!this.within) {
        const begun = await this.begin();
        if (!begun.ok) return begun;
      }
      const { operations, marks } = this.journal.stepPlan!;
      for (let op = this.state.op!; op < operations.length; op++) {
        const operation = operations[op]!;
        await carry(this.bench(operations, op), operation, this.state.at);
        await this.flush();
        const next = operations[op + 1];
        if (next) await this.note({ op: op + 1, at: beginOf(next), backing: false });
      }
      const marked = marks !== null ? [...this.state.marked, marks] : this.state.marked;
      await this.note({ step: this.state.step + 1, op: null, at: 0, backing: false, marked });
    }
    return success(null);
  }

  /** Takes the present step back: table, sizes and files are as before it. Between two steps there is nothing to take back. */
  async back(): Promise<void> {
    if (!this.within) return;
    const { operations } = this.journal.stepPlan!;
    for (let op = this.state.op!; op >= 0; op--) {
      const operation = operations[op]!;
      await takeBack(this.bench(operations, op), operation, this.state.at);
      await this.flush();
      const before = operations[op - 1];
      if (before) await this.note({ op: op - 1, at: endOf(before), backing: true });
    }
    await this.note({ op: null, at: 0, backing: false });
  }

  private async begin(): Promise<Outcome<null>> {
    const { setup, state } = this;
    const table = await tableNow(this.disk);
    if (!table.ok) return table;
    const planned = await planStep(
      {
        disk: this.disk,
        table: table.value,
        marked: state.marked,
        newId: () => setup.newId(state.step),
        aside: (name) => this.aside(name),
        before: setup.steps.slice(0, state.step),
      },
      setup.steps[state.step]!,
    );
    if (!planned.ok) return planned;
    const { operations, marks = null } = planned.value;
    if (operations.length === 0) {
      // Nothing to be done; the next call of `begin` looks at the step behind it.
      await this.note({ step: state.step + 1, op: null, at: 0 });
      return this.done ? success(null) : this.begin();
    }
    const plan = { operations, marks };
    const packed = this.journal.packed(plan);
    if (!packed) {
      return failure({
        code: 'journal-too-small',
        path: `/steps/${state.step}`,
        message: 'What is in use lies in too many pieces for the journal. Nothing was written.',
      });
    }
    await this.journal.begin({ ...state, op: 0, at: beginOf(operations[0]!), backing: false }, plan, packed);
    return success(null);
  }

  private bench(operations: readonly Operation[], op: number): Bench {
    const moved = (upTo: number) =>
      operations
        .slice(0, op)
        .reduce((sum, one) => sum + arrived(one, endOf(one)), arrived(operations[op]!, upTo));
    const toArrive = operations.reduce((sum, one) => sum + arrived(one, endOf(one)), 0);
    return {
      device: (place: Place) =>
        place === 'disk' ? Promise.resolve(this.disk) : this.aside(place.slice('aside:'.length)),
      progress: async (at) => {
        if (!this.hooks.progress) return;
        const { step, backing, cuts } = this.state;
        await this.hooks.progress({
          step,
          arrived: moved(at),
          toArrive,
          backing,
          journal: this.journal.used,
          written: this.written(),
          cuts,
        });
      },
      note: (at) => this.note({ at }),
    };
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

const fresh = ({ run, route }: RunSetup): RunState => ({
  run,
  route,
  step: 0,
  op: null,
  at: 0,
  backing: false,
  written: [],
  marked: [],
  cuts: 0,
});
