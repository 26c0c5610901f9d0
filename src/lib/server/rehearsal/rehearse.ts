import { existsSync } from 'node:fs';
import { mkdir, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { makeDynamicVhd, openVhdDevice, ThrottledDevice, withLayout, type BenchProof } from '$core/bench';
import { makeStandIn } from '$core/bench/standIn/standIn';
import type { Disk } from '$core/disk';
import { success, type Outcome } from '$core/problem';
import type { Step } from '$core/steps';
import { machineOf, type SurveyDocument } from '$core/survey';
import { DEFAULT_RATES } from '$core/tools';
import { MIB } from '$core/units';
import { carryOutOn, type Told } from '../bench/carryOut';
import { FileDevice } from '../bench/fileDevice';
import type { Making } from '../making';
import { provedLayout } from './layout';
import { AT_FIRST, type Pace, type RehearsalProgress } from './states';

/** What is rehearsed, and where its files lie. */
export interface Rehearsing {
  folder: string;
  survey: SurveyDocument;
  disk: number;
  steps: readonly Step[];
  /** What a work sheet of the route is made of. */
  making: Making;
  next: 'forward' | 'back' | 'cancel';
  afterCut: boolean;
  pace: Pace;
  /** What was told of it before. */
  progress: RehearsalProgress;
  seed: number;
}

/** How it is led from outside. */
export interface Lead {
  tell(progress: RehearsalProgress): void;
  pace(): Pace;
  /** Something else is wanted than to go on: everything stops where it is, with nothing brought to an end. */
  stopped(): boolean;
}

/** It was stopped, by whoever leads it. */
export class Stopped extends Error {}

/** A run like the drive's shall take about this long, in seconds. */
const LAPSE = 45;
/** Large files hold next to nothing: what is not empty in them proves them. */
const FINGERPRINT_ABOVE = 2 * MIB;
const TELL_MS = 200;

/**
 * Makes the stand-in where there is none yet, carries the route out on it, and proves it; or goes on, or takes the present step back.
 *
 * Problem codes: those of `carryOut` and of the stand-in.
 * @returns the proof; null after a step was taken back
 * @throws Stopped
 */
export async function rehearse(what: Rehearsing, lead: Lead): Promise<Outcome<BenchProof | null>> {
  const { folder, survey, steps } = what;
  const disk = machineOf(survey).disks.find((one) => one.number === what.disk)!;
  const told = new Telling(what, lead, factorFor(steps));
  await mkdir(folder, { recursive: true });
  const paths = {
    disk: join(folder, 'disk.vhd'),
    journal: join(folder, 'journal'),
    made: join(folder, 'made.json'),
  };
  if (!existsSync(paths.made)) {
    // A stand-in that was cut short is made anew, and so is whatever was begun on it.
    for (const name of await readdir(folder)) await rm(join(folder, name), { recursive: true });
    const files = await makeDisk(paths.disk, disk, what, told);
    await writeFile(paths.made, JSON.stringify({ files }));
  }
  const { files } = JSON.parse(await readFile(paths.made, 'utf8')) as { files: number };
  told.files = files;

  const file = await FileDevice.open(paths.disk);
  try {
    const vhd = await openVhdDevice(file, disk.sectorSize);
    if (!vhd.ok) return vhd;
    const device = new ThrottledDevice(
      vhd.value,
      () => told.bytesPerSecond(disk),
      (ms) => told.wait(ms),
    );
    const outcome = await carryOutOn(device, {
      journal: paths.journal,
      steps,
      how: !existsSync(paths.journal) ? 'begin' : what.next === 'forward' ? 'resume' : 'back',
      afterCut: what.afterCut,
      fingerprintAbove: FINGERPRINT_ABOVE,
      progress: (now) => told.carried(now),
    });
    if (!outcome.ok || !outcome.value) return outcome;
    const layout = await provedLayout(device, what);
    if (!layout.ok) return layout;
    told.end();
    return success(withLayout(outcome.value, layout.value));
  } finally {
    // Not closed but left: a VHD that is stopped dead is found as the power cut leaves it.
    await file.close();
  }
}

async function makeDisk(path: string, disk: Disk, what: Rehearsing, told: Telling): Promise<number> {
  const file = await FileDevice.open(path, { create: true });
  try {
    const device = await makeDynamicVhd(file, disk.sectors * disk.sectorSize, disk.sectorSize, what.seed);
    const source = what.survey.disks.find((one) => one.number === disk.number)!;
    const files = await makeStandIn(device, disk, {
      seed: what.seed,
      steps: what.steps,
      table: {
        backupHeader: source.backupHeader ?? null,
        entries: source.entries ?? null,
        entrySize: source.entrySize ?? null,
      },
      time: Date.parse(what.survey.takenAt),
      progress: (made, of) => told.made(made, of),
    });
    await device.close();
    return files;
  } finally {
    await file.close();
  }
}

/** How many times as fast as the drive, so that it can be watched: 1, 2, 5, 10, … */
function factorFor(steps: readonly Step[]): number {
  const seconds = steps.reduce(
    (sum, { seconds: { low, high }, bytesCopied }) => sum + (bytesCopied > 0 ? (low + high) / 2 : 0),
    0,
  );
  let factor = 1;
  for (let i = 0; seconds / factor > LAPSE; i++) factor *= i % 3 === 1 ? 2.5 : 2;
  return factor;
}

class Telling {
  files: number | null;
  private readonly now: RehearsalProgress;
  private last = 0;
  private since = { at: performance.now(), arrived: 0 };

  constructor(
    what: Rehearsing,
    private readonly lead: Lead,
    private readonly factor: number,
  ) {
    this.now = {
      ...AT_FIRST,
      ...what.progress,
      written: [...what.progress.written],
      took: [...what.progress.took],
      rate: null,
    };
    this.files = this.now.files;
  }

  async made(done: number, of: number): Promise<void> {
    this.stopIfAsked();
    Object.assign(this.now, { phase: 'making', arrived: done, toArrive: of });
    this.tell(done === 0);
  }

  async carried(told: Told): Promise<void> {
    this.stopIfAsked();
    const { now } = this;
    if (told.phase !== 'carrying out') {
      Object.assign(now, {
        phase: told.phase === 'taking stock before' ? 'before' : 'after',
        arrived: told.bytes,
        toArrive: 0,
        rate: null,
      });
      return this.tell(false);
    }
    const { step, arrived, toArrive, backing, journal, written, cuts } = told;
    const stepBegins = now.phase !== 'carrying-out' || step !== now.step || backing !== now.backing;
    this.measure(step, arrived, stepBegins);
    Object.assign(now, {
      phase: 'carrying-out',
      step,
      arrived,
      toArrive,
      backing,
      journal,
      written: [...written],
      cuts,
    });
    this.tell(stepBegins);
  }

  /** What the drive would write in a second, times the factor; null: no limit. */
  bytesPerSecond(disk: Disk): number | null {
    const like = this.lead.pace() === 'drive' && this.now.phase === 'carrying-out';
    const { low, high } = DEFAULT_RATES.copying[disk.media];
    return like ? ((low + high) / 2) * MIB * this.factor : null;
  }

  async wait(milliseconds: number): Promise<void> {
    for (let left = milliseconds; left > 0; left -= 50) {
      await new Promise((done) => setTimeout(done, Math.min(50, left)));
      this.stopIfAsked();
      if (this.lead.pace() === 'fast') return;
      this.tell(false);
    }
  }

  end(): void {
    Object.assign(this.now, { phase: 'over', rate: null });
    this.tell(true);
  }

  private stopIfAsked(): void {
    if (this.lead.stopped()) throw new Stopped();
  }

  private measure(step: number, arrived: number, begins: boolean): void {
    const at = performance.now();
    if (begins) this.since = { at, arrived };
    const seconds = (at - this.since.at) / 1000;
    if (seconds < 0.25) return;
    this.now.rate = Math.max(0, Math.round(Math.abs(arrived - this.since.arrived) / seconds));
    this.now.took[step] = (this.now.took[step] ?? 0) + Math.round(seconds * 1000);
    this.since = { at, arrived };
  }

  private tell(always: boolean): void {
    const at = performance.now();
    if (!always && at - this.last < TELL_MS) return;
    this.last = at;
    const took = Array.from(this.now.took, (one) => one ?? 0);
    const written = Array.from(this.now.written, (one) => one ?? 0);
    this.lead.tell({
      ...this.now,
      took,
      written,
      files: this.files,
      factor: this.lead.pace() === 'drive' ? this.factor : null,
    });
  }
}

/** Bytes that a folder's files really take. */
export async function roomOf(folder: string): Promise<number> {
  let bytes = 0;
  for (const name of existsSync(folder) ? await readdir(folder) : [])
    // A file may be gone by the time that it is looked at.
    bytes += await stat(join(folder, name)).then(
      ({ blocks }) => blocks * 512,
      () => 0,
    );
  return bytes;
}
