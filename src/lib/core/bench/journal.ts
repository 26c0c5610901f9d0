import { deflateSync, inflateSync } from 'fflate';
import { latin1, viewOf } from '../bytes';
import { crc32 } from '../tables/crc32';
import type { Device } from './devices/device';
import { packPlan, unpackPlan, type Place, type Relocated, type StepPlan } from './plan';

/** Most bytes that a journal takes. */
export const JOURNAL_BYTES = 64 * 2 ** 20;
/** Two places for the state, written in turn, so that one of them is whole at every instant. */
const SLOT = 8 * 1024;
const PLAN_AT = 2 * SLOT;
const MAGIC = 'GTIDEJRN';
const HEAD = 24;
/** A plan unpacks to no more than this: what is larger was not written by us. */
const MOST_PLAN = 256 * 2 ** 20;

/** How far a run is. It changes only after what it tells of is where no power cut reaches it. */
export interface RunState {
  /** Says to which run and route the journal belongs. */
  run: string;
  route: string;
  /** The step that is carried out, or comes next; as many as there are when all is done. */
  step: number;
  /** Its operation in hand, or null between two steps. */
  op: number | null;
  /**
   * How far that operation is, in bytes: of a copy what has arrived, of a slide the boundary between what lies in its new
   * place and what lies in its old one.
   */
  at: number;
  /** How many plans of the present step are done, of those that come in several, and the bytes that they moved. */
  batch: number;
  earlier: number;
  /** What each step relocated so far; null: nothing. */
  relocated: (Relocated | null)[];
  /** The step is being taken back. */
  backing: boolean;
  /** The bytes that steps have written so far, by step. */
  written: number[];
  /** Numbers of partitions whose volumes the run itself marked to be checked at the next start. */
  marked: number[];
  /** Power cuts that were survived. */
  cuts: number;
}

/**
 * The journal of a run, on a device of its own. Its state stands in two places that are written in turn, each with a number
 * and a checksum: of a torn one the other counts. The plan of the step in hand lies behind them; it is written whole and is
 * safe before the state names it.
 */
export class Journal {
  private sequence = 0;

  private constructor(
    private readonly device: Device,
    private kept: RunState | null,
    private plan: StepPlan | null,
    private planPlace: { length: number; crc: number } | null,
  ) {}

  get state(): RunState | null {
    return this.kept;
  }

  get stepPlan(): StepPlan | null {
    return this.plan;
  }

  /** Bytes of it that are in use. */
  get used(): number {
    return PLAN_AT + (this.planPlace?.length ?? 0);
  }

  /** Reads what is there; a device that holds none gives an empty journal. @throws JournalDamage */
  static async open(device: Device): Promise<Journal> {
    const slots = [await readSlot(device, 0), await readSlot(device, 1)].filter((slot) => slot !== null);
    const newest = slots.sort((a, b) => b.sequence - a.sequence)[0];
    if (!newest) return new Journal(device, null, null, null);
    const { sequence, state, planPlace } = newest;
    const plan = state.op === null || !planPlace ? null : await readPlan(device, planPlace);
    const journal = new Journal(device, state, plan, planPlace);
    journal.sequence = sequence;
    return journal;
  }

  /** The bytes that a plan takes on the device, or null where it does not fit. */
  packed(plan: StepPlan): Uint8Array | null {
    const bytes = deflateSync(packPlan(plan), { level: 1, mem: 4 });
    const room = Math.min(JOURNAL_BYTES, this.device.size) - PLAN_AT;
    return roundUp(bytes.length, this.device.sectorSize) <= room ? bytes : null;
  }

  /** Begins a step: from here on it can be finished or taken back. The state that was before names no plan. */
  async begin(state: RunState, plan: StepPlan, packed: Uint8Array): Promise<void> {
    const padded = new Uint8Array(roundUp(packed.length, this.device.sectorSize));
    padded.set(packed);
    await this.device.write(PLAN_AT, padded);
    await this.device.flush();
    this.plan = plan;
    this.planPlace = { length: packed.length, crc: crc32(packed) };
    await this.note(state);
  }

  /** Writes the state down; returns once it is safe. */
  async note(state: RunState): Promise<void> {
    const place = state.op === null ? null : this.planPlace;
    const text = new TextEncoder().encode(JSON.stringify({ state, plan: place }));
    const slot = new Uint8Array(roundUp(HEAD + text.length, this.device.sectorSize));
    if (slot.length > SLOT) throw new RangeError('the state of a run is too long for its journal');
    const view = viewOf(slot);
    slot.set(new TextEncoder().encode(MAGIC));
    view.setUint32(8, ++this.sequence, true);
    view.setUint32(12, text.length, true);
    slot.set(text, HEAD);
    view.setUint32(16, slotSum(slot, text.length), true);
    await this.device.write((this.sequence % 2) * SLOT, slot);
    await this.device.flush();
    this.kept = state;
    if (state.op === null) this.plan = this.planPlace = null;
  }
}

/** The journal's own structures are damaged in a way that no power cut leaves. */
export class JournalDamage extends Error {}

interface Slot {
  sequence: number;
  state: RunState;
  planPlace: { length: number; crc: number } | null;
}

async function readSlot(device: Device, index: number): Promise<Slot | null> {
  if (device.size < PLAN_AT) return null;
  const bytes = await device.read(index * SLOT, SLOT);
  const view = viewOf(bytes);
  const length = view.getUint32(12, true);
  if (latin1(bytes.subarray(0, 8)) !== MAGIC || HEAD + length > SLOT) return null;
  if (slotSum(bytes, length) !== view.getUint32(16, true)) return null;
  const { state, plan } = JSON.parse(new TextDecoder().decode(bytes.subarray(HEAD, HEAD + length))) as {
    state: Omit<RunState, 'batch' | 'earlier' | 'relocated'> & Partial<RunState>;
    plan: Slot['planPlace'];
  };
  // A run that version 0.5 began knows nothing of steps in several plans.
  const whole = { batch: 0, earlier: 0, relocated: [], ...state };
  return { sequence: view.getUint32(8, true), state: whole, planPlace: plan };
}

/** Over number, length and text, so that a slot that was torn between two states is none. */
function slotSum(slot: Uint8Array, length: number): number {
  const summed = slot.slice(0, HEAD + length);
  summed.fill(0, 16, 20);
  return crc32(summed);
}

async function readPlan(device: Device, { length, crc }: { length: number; crc: number }): Promise<StepPlan> {
  const whole = roundUp(length, device.sectorSize);
  if (PLAN_AT + whole > device.size) throw new JournalDamage('the journal is cut short');
  const bytes = (await device.read(PLAN_AT, whole)).subarray(0, length);
  if (crc32(bytes) !== crc) throw new JournalDamage('the plan in the journal is damaged');
  const plan = inflateSync(bytes);
  if (plan.length > MOST_PLAN) throw new JournalDamage('the plan in the journal is larger than any');
  const { operations, marks, more = null, relocated = null } = unpackPlan(plan);
  // What version 0.5 wrote is all about the disk, in one plan for each step.
  const placed = operations.map((one) =>
    one.op === 'change' || one.op === 'fill' ? { ...one, on: (one.on as Place | undefined) ?? 'disk' } : one,
  );
  return { operations: placed, marks, more, relocated };
}

const roundUp = (value: number, unit: number): number => Math.ceil(value / unit) * unit;
