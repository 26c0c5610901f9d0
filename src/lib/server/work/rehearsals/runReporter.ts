import type { Pace } from '$contract/rehearsalStates';
import type { RehearsalProgress } from '$contract/rehearsals';
import { ThrottledDevice, type Device } from '$core/executor';
import type { Disk } from '$core/disk';
import type { Step } from '$core/steps';
import { DEFAULT_RATES } from '$core/tools';
import { MIB } from '$core/units';
import type { RunReport } from '../../executor/executeRoute';
import { AT_FIRST } from './states';

/** Commands to a run from outside. */
export interface Lead {
  tell(progress: RehearsalProgress): void;
  pace(): Pace;
  /** Something else is wanted than to go on: everything stops where it is, with nothing brought to an end. */
  stopped(): boolean;
}

/** Stop by whoever leads it. */
export class Stopped extends Error {}

/** A run like the drive's shall take about this long, in seconds. */
const LAPSE = 45;
const TELL_MS = 200;

/** Speed as a multiple of the drive's, so that it can be watched: 1, 2, 5, 10, … */
export function computeFactor(steps: readonly Step[]): number {
  const seconds = steps.reduce(
    (sum, { seconds: { low, high }, bytesCopied }) => sum + (bytesCopied > 0 ? (low + high) / 2 : 0),
    0,
  );
  let factor = 1;
  for (let i = 0; seconds / factor > LAPSE; i++) factor *= i % 3 === 1 ? 2.5 : 2;
  return factor;
}

/** Keeps how far a run is, and tells it a few times a second. */
export class RunReporter {
  files: number | null;
  private readonly now: RehearsalProgress;
  private last = 0;
  private since = { at: performance.now(), arrived: 0 };

  constructor(
    before: RehearsalProgress,
    /** Multiple of the drive's speed where it goes like the drive. */
    private readonly factor: number,
    private readonly lead: Lead,
  ) {
    this.now = { ...AT_FIRST, ...before, written: [...before.written], took: [...before.took], rate: null };
    this.files = this.now.files;
  }

  async made(done: number, of: number): Promise<void> {
    this.stopIfAsked();
    Object.assign(this.now, { phase: 'making', arrived: done, toArrive: of });
    this.tell(done === 0);
  }

  async reportProgress(report: RunReport): Promise<void> {
    this.stopIfAsked();
    const { now } = this;
    if (report.phase !== 'carrying out') {
      Object.assign(now, {
        phase: report.phase === 'taking stock before' ? 'before' : 'after',
        arrived: report.bytes,
        toArrive: 0,
        rate: null,
      });
      return this.tell(false);
    }
    const { step, arrived, toArrive, backing, journal, written, cuts } = report;
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

  /** Bytes that the drive would write in a second, times the factor; null: no limit. */
  private bytesPerSecond(disk: Disk): number | null {
    const like = this.lead.pace() === 'drive' && this.now.phase === 'carrying-out';
    const { low, high } = DEFAULT_RATES.copying[disk.media];
    return like ? ((low + high) / 2) * MIB * this.factor : null;
  }

  private async wait(milliseconds: number): Promise<void> {
    for (let left = milliseconds; left > 0; left -= 50) {
      await new Promise((done) => setTimeout(done, Math.min(50, left)));
      this.stopIfAsked();
      if (this.lead.pace() === 'fast') return;
      this.tell(false);
    }
  }

  /** A disk that is written to no faster than is asked for. */
  paced(device: Device, disk: Disk): Device {
    return new ThrottledDevice(
      device,
      () => this.bytesPerSecond(disk),
      (ms) => this.wait(ms),
    );
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
