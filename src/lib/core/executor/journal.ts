import { deflateSync, Inflate } from 'fflate';
import { concatBytes, latin1, viewOf } from '../bytes';
import { type Outcome, refusal, success } from '../problem';
import { crc32 } from '../tables/crc32';
import type { Device } from './devices/device';
import { packPlan, unpackPlan, type Relocated, type StepPlan } from './plan';
import type { DiskIdentity, WitnessSum } from './witness';

/** Most bytes that a journal takes. */
const JOURNAL_BYTES = 64 * 2 ** 20;
/** The head says what the journal belongs to; it is written once. */
const HEAD_BYTES = 4096;
/** Two places for the state, written in turn, so that one of them is whole at every instant. */
const SLOT = 64 * 1024;
const PLAN_AT = HEAD_BYTES + 2 * SLOT;
const MAGIC = { head: 'GTJOURN2', slot: 'GTSTATE2', older: 'GTIDEJRN' } as const;
/** Before the text of a block: its magic, a number, the length of the text and a checksum. */
const BLOCK = 24;
/** A plan unpacks to no more than this: what is larger was not written by us. */
const MAX_PLAN = 256 * 2 ** 20;
/** So many packed bytes at once: at the most they unpack to a thousand times as many. */
const INFLATED_AT_ONCE = 16 * 1024;

/** Disk and route of a journal. */
export interface JournalHead {
  /** A GUID of this run alone. */
  run: string;
  /** RFC 3339, UTC. */
  begunAt: string;
  /** A word for the route, the same for the same route only. */
  route: string;
  disk: DiskIdentity;
  /** Byte of the disk where the run leaves its mark; null: there is no room for one. */
  markAt: number | null;
  /** SHA-256 of the list of what the disk held before; null: there is none. */
  stock: string | null;
}

/** Progress of a run. It changes only after what it tells of is where no power cut reaches it. */
export interface RunState {
  /** The step that is carried out, or comes next; as many as there are when all is done. */
  step: number;
  /** Its operation in hand, or null between two steps. */
  op: number | null;
  /**
   * How far that operation is, in bytes: of a copy what has arrived, of a slide the boundary between what lies in its
   * new place and what lies in its old one.
   */
  at: number;
  /** Plans of the present step that are done, of those that come in several, and the bytes that they moved. */
  batch: number;
  earlier: number;
  /** Relocations of each step so far; null: none. */
  relocated: (Relocated | null)[];
  /** The step is being taken back. */
  backing: boolean;
  /** The bytes that steps have written so far, by step. */
  written: number[];
  /** Numbers of partitions whose volumes the run itself marked to be checked at the next start. */
  marked: number[];
  /** Power cuts that were survived. */
  cuts: number;
  /** Mark of a run that was ended between two steps; its journal may still lie there. */
  ended: boolean;
  /** Counts the states; the mark on the disk carries the same number, or one more. */
  turn: number;
  /** Bytes of the disk. */
  size: number;
  /** Sectors of the disk that do not change before the next state, with their content. */
  sums: WitnessSum[];
}

interface PlanPlace {
  length: number;
  crc: number;
}

/**
 * The journal of a run, on a device of its own. Its state stands in two places that are written in turn, each with a
 * number and a checksum: of a torn one the other counts. The plan of the step in hand lies behind them; it is written
 * whole and is safe before the state names it.
 */
export class Journal {
  private constructor(
    private readonly device: Device,
    readonly head: JournalHead,
    private sequence: number,
    private latest: RunState,
    private plan: StepPlan | null,
    private planPlace: PlanPlace | null,
  ) {}

  get state(): RunState {
    return this.latest;
  }

  get stepPlan(): StepPlan | null {
    return this.plan;
  }

  /** Bytes of it that are in use. */
  get used(): number {
    return PLAN_AT + (this.planPlace?.length ?? 0);
  }

  /**
   * Makes a journal on a device that holds nothing; one without a size gets the usual one. Returns once it is safe
   * there.
   */
  static async create(device: Device, head: JournalHead, state: RunState): Promise<Journal> {
    if (device.size === 0) await device.resize(JOURNAL_BYTES);
    await device.write(0, blockOf(MAGIC.head, 0, head, device.sectorSize, HEAD_BYTES));
    // Written now, so that no later state asks for room.
    await device.write(HEAD_BYTES, new Uint8Array(2 * SLOT));
    const journal = new Journal(device, head, 0, state, null, null);
    await journal.note(state);
    return journal;
  }

  /**
   * Reads a journal. Nothing is written.
   *
   * Problem codes: `no-journal` (it is none), `journal-older` (another release wrote it), `journal-damaged`.
   */
  static async open(device: Device): Promise<Outcome<Journal>> {
    const head = await readHead(device);
    if (!head.ok) return head;
    const slots = (await Promise.all([0, 1].map((index) => readSlot(device, index)))).filter(
      (slot) => slot !== null,
    );
    const newest = slots.sort((a, b) => b.sequence - a.sequence)[0];
    if (!newest) return damaged('it does not say any more how far its run is');
    const { sequence, state, planPlace } = newest;
    if (!isPossible(state)) return damaged('what it says of its run is impossible');
    if (state.op === null) return success(new Journal(device, head.value, sequence, state, null, null));
    if (!planPlace) return damaged('it names no plan for its step');
    const plan = await readPlan(device, planPlace);
    if (plan.ok && state.op >= plan.value.operations.length) return damaged('its plan has no such operation');
    return plan.ok ? success(new Journal(device, head.value, sequence, state, plan.value, planPlace)) : plan;
  }

  /** The bytes that a plan takes on the device, or null where it does not fit. */
  packed(plan: StepPlan): Uint8Array | null {
    const whole = packPlan(plan);
    if (whole.length > MAX_PLAN) return null;
    const bytes = deflateSync(whole, { level: 1, mem: 4 });
    const room = Math.min(JOURNAL_BYTES, this.device.size) - PLAN_AT;
    return roundUp(bytes.length, this.device.sectorSize) <= room ? bytes : null;
  }

  /** Writes a plan down; the state that is noted next names it. The state that was before names no plan. */
  async takePlan(plan: StepPlan, packed: Uint8Array): Promise<void> {
    const padded = new Uint8Array(roundUp(packed.length, this.device.sectorSize));
    padded.set(packed);
    await this.device.write(PLAN_AT, padded);
    await this.device.flush();
    this.plan = plan;
    this.planPlace = { length: packed.length, crc: crc32(packed) };
  }

  /** Writes the state down; returns once it is safe. */
  async note(state: RunState): Promise<void> {
    const plan = state.op === null ? null : this.planPlace;
    const slot = blockOf(MAGIC.slot, ++this.sequence, { state, plan }, this.device.sectorSize, SLOT);
    await this.device.write(HEAD_BYTES + (this.sequence % 2) * SLOT, slot);
    await this.device.flush();
    this.latest = state;
    if (state.op === null) this.plan = this.planPlace = null;
  }
}

/** Head of a journal. Problem codes: those of {@link Journal.open}. */
export async function readHead(device: Device): Promise<Outcome<JournalHead>> {
  const start = await device.read(0, Math.min(HEAD_BYTES, device.size));
  const magic = latin1(start.subarray(0, 8));
  if (magic === MAGIC.older)
    return refusal(
      'journal-older',
      'An older release of Gentle Tide wrote this journal, and it does not say which disk it belongs to. Go on with the release that began the run.',
    );
  if (magic !== MAGIC.head) return refusal('no-journal', 'This file is no journal. Nothing was written.');
  const head = contentOf<JournalHead>(start, MAGIC.head);
  return head ? success(head.content) : damaged('its first sectors can’t be read');
}

const damaged = (reason: string) =>
  refusal(
    'journal-damaged',
    `The journal can’t be used: ${reason}. Nothing was written. Bring back a sound copy of it, or restore the disk from its backup.`,
  );

interface Slot {
  sequence: number;
  state: RunState;
  planPlace: PlanPlace | null;
}

async function readSlot(device: Device, index: number): Promise<Slot | null> {
  if (device.size < PLAN_AT) return null;
  const bytes = await device.read(HEAD_BYTES + index * SLOT, SLOT);
  const found = contentOf<{ state: RunState; plan: PlanPlace | null }>(bytes, MAGIC.slot);
  return found && { sequence: found.number, state: found.content.state, planPlace: found.content.plan };
}

/** Most stretches that are summed, and bytes of one. */
const MAX_SUMS = 1000;
const MAX_SUMMED = 2 ** 20;

/** A checksum that is right says only that the text is what was written, not who wrote it. */
function isPossible({ step, op, at, batch, turn, size, sums }: RunState): boolean {
  const counts = [step, op ?? 0, at, batch, turn, size];
  return (
    counts.every((one) => Number.isSafeInteger(one) && one >= 0) &&
    Array.isArray(sums) &&
    sums.length <= MAX_SUMS &&
    sums.every(
      ({ offset, length }) =>
        Number.isSafeInteger(offset) &&
        offset >= 0 &&
        Number.isSafeInteger(length) &&
        length >= 0 &&
        length <= MAX_SUMMED,
    )
  );
}

/** A number and a text as whole sectors. @throws RangeError where they are longer than their place */
function blockOf(
  magic: string,
  number: number,
  content: unknown,
  sectorSize: number,
  most: number,
): Uint8Array {
  const text = new TextEncoder().encode(JSON.stringify(content));
  const bytes = new Uint8Array(roundUp(BLOCK + text.length, sectorSize));
  if (bytes.length > most) throw new RangeError('the state of a run is too long for its journal');
  const view = viewOf(bytes);
  bytes.set(new TextEncoder().encode(magic));
  view.setUint32(8, number, true);
  view.setUint32(12, text.length, true);
  bytes.set(text, BLOCK);
  view.setUint32(16, blockSum(bytes, text.length), true);
  return bytes;
}

/** Reads a block of {@link blockOf}; null where it is not whole. */
function contentOf<T>(bytes: Uint8Array, magic: string): { number: number; content: T } | null {
  if (bytes.length < BLOCK || latin1(bytes.subarray(0, 8)) !== magic) return null;
  const view = viewOf(bytes);
  const length = view.getUint32(12, true);
  if (BLOCK + length > bytes.length || blockSum(bytes, length) !== view.getUint32(16, true)) return null;
  const text = new TextDecoder().decode(bytes.subarray(BLOCK, BLOCK + length));
  return { number: view.getUint32(8, true), content: JSON.parse(text) as T };
}

/** Over number, length and text, so that a block that was torn between two states is none. */
function blockSum(block: Uint8Array, length: number): number {
  const summed = block.slice(0, BLOCK + length);
  summed.fill(0, 16, 20);
  return crc32(summed);
}

async function readPlan(device: Device, { length, crc }: PlanPlace): Promise<Outcome<StepPlan>> {
  const whole = roundUp(length, device.sectorSize);
  if (PLAN_AT + whole > device.size) return damaged('it is cut short');
  const bytes = (await device.read(PLAN_AT, whole)).subarray(0, length);
  if (crc32(bytes) !== crc) return damaged('the plan of its step is not whole');
  const plan = inflated(bytes, MAX_PLAN);
  return plan ? success(unpackPlan(plan)) : damaged('the plan of its step is larger than any');
}

/** Unpacks bytes, and stops where they come to more than `most`: then null. */
function inflated(packed: Uint8Array, most: number): Uint8Array | null {
  const parts: Uint8Array[] = [];
  let length = 0;
  const stream = new Inflate((part) => {
    length += part.length;
    if (length <= most) parts.push(part);
  });
  for (let at = 0; at < packed.length && length <= most; at += INFLATED_AT_ONCE)
    stream.push(packed.subarray(at, at + INFLATED_AT_ONCE), at + INFLATED_AT_ONCE >= packed.length);
  return length <= most ? concatBytes(parts) : null;
}

const roundUp = (value: number, unit: number): number => Math.ceil(value / unit) * unit;
