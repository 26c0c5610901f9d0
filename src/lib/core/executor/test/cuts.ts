import { createHash } from 'node:crypto';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readTable } from '../../tables';
import { randomFrom } from '../../random';
import type { Step } from '../../steps';
import { MemoryDevice, PAGE } from '../devices/memory';
import { Plug, PluggedDevice, type Event } from './powerCut';
import type { Device } from '../devices/device';
import { checkNtfs } from './checkNtfs';
import { listPartitionsNow, readTableNow } from '../table/tableNow';
import { bytesAt } from '../verbs/ground';
import { kindOf } from '../volumes/usedExtents';
import { readFatVolume } from '../fat/fatVolume';
import type { NewHash } from '../proof/content';
import { manifestOf, part } from '../proof/inventory';
import type { RouteRun } from '../run';
import { findLiveStretches } from './live';
import { makeFreshFolder, say } from './mounted';
import { openRun } from './openRun';

/** A disk and what is to be done to it. */
export interface Scenario {
  name: string;
  disk: MemoryDevice;
  steps: readonly Step[];
  /** Layer between the disk and the bytes that the power is taken from: a file format. */
  within?: (file: Device) => Promise<Device>;
  /** Only every how many-th state is tried, where each takes long. They lie over the whole run. */
  every?: number;
  /** The first of them. */
  from?: number;
  /**
   * What is relocated within a volume may lie elsewhere after a cut than without one: then files, table and soundness
   * count. Else every byte in use does.
   */
  relocates?: boolean;
}

export interface CutOptions {
  /** Subsets of unflushed writes that are lost, besides all, none and each single one. */
  subsets: number;
  seed: number;
  /** Every how many-th state is carried out again after it was taken back. */
  again: number;
}

export interface CutResult {
  /** States that a cut can leave, each of which was gone on from and taken back. */
  cuts: number;
  failures: string[];
}

/** Devices of a run, by their number among the events. */
interface Devices {
  disk: MemoryDevice;
  journal: MemoryDevice;
  aside: MemoryDevice;
}
const ORDER = ['disk', 'journal', 'aside'] as const;
const NOTHING = new Uint8Array(PAGE);
const JOURNAL = 8 * 2 ** 20;
/** A write up to this long is torn at every sector of it; a longer one holds files and is torn at a few. */
const METADATA = 32 * 1024;

/** Devices on which a run was begun and has done nothing: its journal gets its name only once it is whole. */
async function begun(scenario: Scenario): Promise<Devices> {
  const devices = {
    disk: scenario.disk.copy(),
    journal: new MemoryDevice(JOURNAL),
    aside: new MemoryDevice(0),
  };
  await resumed(devices, scenario);
  return devices;
}

const copied = (from: Devices): Devices => ({
  disk: from.disk.copy(),
  journal: from.journal.copy(),
  aside: from.aside.copy(),
});

/** The run that was begun on some devices, as their journal tells. */
async function resumed(devices: Devices, { steps, within }: Scenario, plug?: Plug): Promise<RouteRun> {
  const on = (name: (typeof ORDER)[number]) =>
    plug ? new PluggedDevice(devices[name], plug, ORDER.indexOf(name)) : devices[name];
  const aside = on('aside');
  const run = await openRun({
    disk: within ? await within(on('disk')) : on('disk'),
    journal: on('journal'),
    aside: async () => aside,
    steps,
  });
  if (!run.ok) throw new Error(run.problems.map(({ message }) => message).join(' '));
  return run.value;
}

async function finish(run: RouteRun): Promise<void> {
  const outcome = await run.forward();
  if (!outcome.ok) throw new Error(outcome.problems.map(({ message }) => message).join(' '));
}

/**
 * Cuts the power of a run at every instant and in every way that it can be found afterwards, goes on from each in one
 * run and takes the step back in another, and holds what is in use of the disk against the run that was never cut.
 */
export async function proveCuts(scenario: Scenario, options: CutOptions): Promise<CutResult> {
  const { disk, steps } = scenario;
  await soundNow(scenario, disk, 'as found');
  const failures: string[] = [];
  // The disk after each step when nothing comes between.
  const along: MemoryDevice[] = [disk];
  for (let count = 1; count <= steps.length; count++) {
    const part = { ...scenario, steps: steps.slice(0, count) };
    const devices = await begun(part);
    await finish(await resumed(devices, part));
    along.push(devices.disk);
    await soundNow(scenario, devices.disk, `after step ${count}`);
  }
  const plug = new Plug();
  const start = await begun(scenario);
  await finish(await resumed(copied(start), scenario, plug));
  const { events } = plug;
  const random = randomFrom(options.seed);
  let [found, cuts] = [0, 0];
  const safe = new SafeState(start, events);
  for (let at = 0; at <= events.length; at++) {
    safe.advanceTo(at);
    for (const lost of safe.waysToLose(random, options.subsets)) {
      if (found++ % (scenario.every ?? 1) !== (scenario.from ?? 0)) continue;
      const state = await safe.found(lost);
      cuts++;
      const problem = await tried(state, scenario, along, cuts % options.again === 0);
      if (problem)
        failures.push(`${scenario.name}, before change ${at} of ${events.length}, ${lost.name}: ${problem}`);
      if (failures.length > 5) return { cuts, failures };
    }
  }
  return { cuts, failures };
}

async function tried(
  state: Devices,
  scenario: Scenario,
  along: readonly MemoryDevice[],
  thenAgain: boolean,
): Promise<string | null> {
  const { within, relocates = false } = scenario;
  const differs = async (is: MemoryDevice, should: MemoryDevice) => {
    const bytes = await difference(is, should, within);
    return bytes && relocates ? holdsOther(is, should) : bytes;
  };
  try {
    const table = await readTable(within ? await within(state.disk) : state.disk);
    if (!table.ok) return `no valid table: ${table.problems[0]?.message}`;
    const on = copied(state);
    await finish(await resumed(on, scenario));
    const forward = await differs(on.disk, along.at(-1)!);
    if (forward) return `gone on: ${forward}`;
    const back = await resumed(state, scenario);
    const { step } = back.state;
    const undone = await back.back();
    if (!undone.ok) return `step ${step + 1} is not taken back: ${undone.problems[0]!.message}`;
    const backward = await differs(state.disk, along[step]!);
    if (backward) return `step ${step + 1} taken back: ${backward}`;
    if (!thenAgain) return null;
    // A step that was taken back can be done again.
    await finish(back);
    const again = await differs(state.disk, along.at(-1)!);
    return again ? `done again: ${again}` : null;
  } catch (error) {
    return error instanceof Error ? `${error.message} ${error.stack?.split('\n')[1]?.trim()}` : String(error);
  }
}

type Live = Awaited<ReturnType<typeof findLiveStretches>>;
const known = new WeakMap<MemoryDevice, Live>();

/** Bytes in use of a disk that stays as it is. @param inside what lies in the file, where it is one */
async function liveOf(wanted: MemoryDevice, inside: Device): Promise<Live> {
  const live = known.get(wanted) ?? (await findLiveStretches(inside));
  known.set(wanted, live);
  return live;
}

/** Place where the disk is not as it should be, of all that is in use; null: none. */
async function difference(
  disk: MemoryDevice,
  wanted: MemoryDevice,
  within: Scenario['within'],
): Promise<string | null> {
  if (within) {
    const should = await within(wanted);
    return differenceWithin(await within(disk), should, await liveOf(wanted, should));
  }
  if (disk.size !== wanted.size) return `the disk has ${disk.size} bytes, not ${wanted.size}`;
  for (const { name, offset, length } of await liveOf(wanted, wanted)) {
    for (let page = Math.floor(offset / PAGE); page * PAGE < offset + length; page++) {
      const [mine, theirs] = [disk.pageAt(page), wanted.pageAt(page)];
      if (mine === theirs) continue;
      const from = Math.max(0, offset - page * PAGE);
      const to = Math.min(PAGE, offset + length - page * PAGE);
      const same =
        Buffer.compare((mine ?? NOTHING).subarray(from, to), (theirs ?? NOTHING).subarray(from, to)) === 0;
      if (!same) return `${name} differs in bytes ${page * PAGE + from} to ${page * PAGE + to - 1}`;
    }
  }
  return null;
}

const held = new WeakMap<MemoryDevice, Promise<string>>();
const newHash: NewHash = () => {
  const hash = createHash('sha256');
  return { update: (bytes) => void hash.update(bytes), digest: () => hash.digest('hex') };
};

/** The table and all files of a disk, told in a line. */
async function holds(disk: MemoryDevice): Promise<string> {
  const table = await readTableNow(disk);
  if (!table.ok) throw new Error(table.problems[0]!.message);
  const told: unknown[] = [disk.size];
  for (const { first, sectors, ...one } of listPartitionsNow(table.value)) {
    const content = part(disk, first * disk.sectorSize, sectors * disk.sectorSize);
    const kind = one.kind === 'extended' ? 'unknown' : await kindOf(content);
    const options = { newHash, fingerprintAbove: null, gate: async () => {} };
    told.push({ first, sectors, ...one, files: (await manifestOf(content, kind, options))?.digest ?? null });
  }
  return JSON.stringify(told);
}

/** Fault of the table, of any file, or of a volume that is not sound; null: none. */
async function holdsOther(disk: MemoryDevice, wanted: MemoryDevice): Promise<string | null> {
  const known = held.get(wanted) ?? holds(wanted);
  held.set(wanted, known);
  const [is, should] = [await holds(disk), await known];
  if (is !== should) return `the disk holds ${is}, not ${should}`;
  await soundNow({ name: 'relocated' }, disk, AFTER_CUT);
  return null;
}

/** The same through a file format, whose own bytes may differ. */
async function differenceWithin(disk: Device, wanted: Device, live: Live): Promise<string | null> {
  if (disk.size !== wanted.size) return `the disk has ${disk.size} bytes, not ${wanted.size}`;
  for (const { name, offset, length } of live) {
    const [is, should] = [await disk.read(offset, length), await wanted.read(offset, length)];
    if (Buffer.compare(is, should) !== 0) return `${name} differs within ${length} bytes from ${offset}`;
  }
  return null;
}

/**
 * What every later state is held against has to be sound itself: by the checker, which shares nothing with what wrote
 * it.
 */
async function soundNow(
  { name, within }: Pick<Scenario, 'name' | 'within'>,
  file: MemoryDevice,
  when: string,
): Promise<void> {
  const disk = within ? await within(file) : file;
  const table = await readTableNow(disk);
  if (!table.ok) throw new Error(`${name}, ${when}: ${table.problems[0]!.message}`);
  for (const partition of listPartitionsNow(table.value)) {
    if (partition.kind === 'extended') continue;
    const kind = await kindOf(bytesAt(disk, partition));
    if (kind === 'fat') await readFatVolume(bytesAt(disk, partition), async () => {});
    if (kind === 'fat' && when !== AFTER_CUT)
      fatSoundFor(
        await bytesAt(disk, partition).read(0, partition.sectors * disk.sectorSize),
        `${name}, ${when}`,
      );
    if (kind !== 'ntfs') continue;
    const damage = await checkNtfs(bytesAt(disk, partition));
    if (damage.length > 0) throw new Error(`${name}, ${when}: ${damage.join('; ')}`);
  }
}

/** Thousands of states are held against what the states without a cut are, and those against another program. */
const AFTER_CUT = 'after a cut';

/** Soundness of the state that every other is compared with, by a program that knows nothing of us. */
function fatSoundFor(volume: Uint8Array, what: string): void {
  const folder = makeFreshFolder('fat-sound');
  const path = join(folder, 'volume.img');
  writeFileSync(path, volume);
  const said = say('fsck.fat', '-n', path);
  rmSync(folder, { recursive: true, force: true });
  if (/exit|differ|wrong|Reclaim/i.test(said)) throw new Error(`${what}: ${said}`);
}

interface Lost {
  name: string;
  /** Unflushed changes that are not there, by their place among them. */
  lost: ReadonlySet<number>;
  /** Sectors of the change in hand that arrived; null: none did. */
  torn: number | null;
}

/** Bytes that are safe before a change, and those that may or may not be there besides. */
class SafeState {
  private at = 0;
  private unflushed: number[] = [];

  constructor(
    private readonly devices: Devices,
    private readonly events: readonly Event[],
  ) {}

  /** Takes in the changes up to one, without it. */
  advanceTo(at: number): void {
    for (; this.at < at; this.at++) {
      const event = this.events[this.at]!;
      if (event.kind !== 'flush') {
        this.unflushed.push(this.at);
        continue;
      }
      const now = this.unflushed.filter((i) => this.events[i]!.device === event.device);
      for (const i of now) applyNow(this.devices, this.events[i]!, Infinity);
      this.unflushed = this.unflushed.filter((i) => this.events[i]!.device !== event.device);
    }
  }

  waysToLose(random: () => number, subsets: number): Lost[] {
    const count = this.unflushed.length;
    const all = new Set(this.unflushed.keys());
    const ways: Lost[] = [{ name: 'all lost', lost: all, torn: null }];
    if (count > 0) ways.push({ name: 'none lost', lost: new Set(), torn: null });
    if (count > 1)
      for (const i of all) ways.push({ name: `write ${i} of ${count} lost`, lost: new Set([i]), torn: null });
    if (count > 2) {
      const seen = new Set<string>();
      for (let i = 0; i < subsets; i++) {
        const lost = new Set([...all].filter(() => random() < 0.5));
        const name = `${[...lost].join(' ')} of ${count} lost`;
        if (!seen.has(name)) ways.push({ name, lost, torn: null });
        seen.add(name);
      }
    }
    const event = this.events[this.at];
    if (event?.kind !== 'write') return ways;
    const sectors = event.bytes.length / this.devices.disk.sectorSize;
    const tears =
      event.bytes.length <= METADATA
        ? Array.from({ length: sectors }, (_, i) => i + 1)
        : [1, Math.floor(sectors / 2), sectors - 1];
    for (const torn of tears) ways.push({ name: `torn after ${torn} sectors`, lost: new Set(), torn });
    return ways;
  }

  /** The devices as they are found. */
  async found({ lost, torn }: Lost): Promise<Devices> {
    const devices = copied(this.devices);
    for (const [i, event] of this.unflushed.entries())
      if (!lost.has(i)) applyNow(devices, this.events[event]!, Infinity);
    if (torn !== null) applyNow(devices, this.events[this.at]!, torn);
    return devices;
  }
}

/** Memory devices do what they are asked for before they return. */
function applyNow(devices: Devices, event: Event, sectors: number): void {
  const device = devices[ORDER[event.device]!];
  // A file whose new length was lost is as long as the last write that reached it.
  const end = event.kind === 'write' ? event.offset + event.bytes.length : 0;
  if (end > device.size) void device.resize(end);
  if (event.kind === 'write')
    void device.write(
      event.offset,
      event.bytes.subarray(0, Math.min(event.bytes.length, sectors * device.sectorSize)),
    );
  if (event.kind === 'zero') void device.zero(event.offset, event.length);
  if (event.kind === 'resize') void device.resize(event.size);
}
