import type { RehearsalProgress } from '$contract/rehearsals';
import { randomUUID } from 'node:crypto';
import { availableParallelism } from 'node:os';
import { existsSync } from 'node:fs';
import { mkdir, readdir, rename, rm, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import { GIB } from '$core/units';
import { leaveJournal, putAsideJournal, removeJournal } from '../../executor/beside';
import { DatabaseAway } from '../../store/database/database';
import { log } from '../../platform/log';
import {
  readAliveIds,
  endRehearsal,
  forgetOld,
  sumRoomTaken,
  reportAlive,
  takeRehearsal,
  type Ending,
  type TakenRehearsal,
} from './queue';
import { config, rehearsalBundle } from '../../platform/settings/config';
import { isOwnCopy, removeCopy } from './copy';
import { roomOf } from './rehearse';
import { runHere, runInThread, type Ended, type UnderWay } from './runner';
import { siteOf, type Site } from './site';
import { isBegun } from './states';

/** Milliseconds between two polls. */
const POLL = 400;
/** Milliseconds between two looks at what is left over. */
const SWEEP = 60_000;
/** Room that all rehearsals may take together, and what must stay free on the disk. */
export const MAX_ROOM = 8 * GIB;
const KEPT_FREE = 2 * GIB;
/** Days after which a rehearsal that was stopped is forgotten. */
const DAYS = 7;

/** Folder of the files of rehearsals; servers on one database share it. */
export const getRehearsalFolder = (): string => config().rehearsals;

/** Beginning of the names of folders that are being removed. */
const GONE = 'gone-';
const removed = (path: string): Promise<void> =>
  rm(path, { recursive: true, force: true, maxRetries: 3 }).catch((error: unknown) =>
    log.error({ err: error }, 'rehearsals'),
  );

interface Held {
  taken: TakenRehearsal;
  run: UnderWay;
  progress: RehearsalProgress;
  /** Something was told since it was last saved. */
  fresh: boolean;
  wish: 'pause' | 'cut' | 'cancel' | null;
}

/**
 * Takes rehearsals from the queue and has them run, one fewer at once than there are cores; says that it is alive, and
 * hands on what is wished. A run whose server is gone is taken by whoever looks next, and goes on where its journal
 * stands.
 */
export class RehearsalSupervisor {
  private readonly holder = randomUUID();
  private readonly held = new Map<number, Held>();
  private readonly endings = new Set<Promise<void>>();
  private timer: NodeJS.Timeout | undefined;
  private swept = -SWEEP;
  private busy = false;

  constructor(
    private readonly folder = getRehearsalFolder(),
    private readonly bundle = rehearsalBundle(),
    // One core is left to those who ask.
    private readonly atOnce = Math.max(1, availableParallelism() - 1),
  ) {}

  start(): void {
    this.timer = setInterval(() => void this.poll(), POLL);
    this.timer.unref();
  }

  /** Running rehearsals stop where they are; another server, or the next start, goes on with them. */
  async stop(): Promise<void> {
    clearInterval(this.timer);
    for (const { run } of this.held.values()) run.tell({ stop: true });
    await Promise.all(this.endings);
  }

  /** Number of those that run here. */
  get running(): number {
    return this.held.size;
  }

  /** Polls the queue and what runs. */
  async poll(): Promise<void> {
    if (this.busy) return;
    this.busy = true;
    try {
      for (const [id, held] of this.held) await this.heartbeat(id, held);
      while (this.held.size < this.atOnce && (await this.take()));
      if (performance.now() - this.swept > SWEEP) await this.sweep();
    } catch (error) {
      // The database is away: what runs goes on, and is told of once it answers again.
      if (!(error instanceof DatabaseAway)) log.error({ err: error }, 'rehearsals');
    } finally {
      this.busy = false;
    }
  }

  private pathOf(id: number): string {
    return join(this.folder, String(id));
  }

  private async take(): Promise<boolean> {
    const taken = await takeRehearsal(this.holder, this.atOnce);
    if (!taken) return false;
    const { id } = taken;
    const path = this.pathOf(id);
    const site = this.siteOf(taken);
    if (taken.next === 'cancel' && !existsSync(site.journal)) {
      await this.end(taken, { state: 'cancelled' }, taken.progress);
      return true;
    }
    const full = site.place !== 'stand-in' || existsSync(path) ? null : await this.noRoom();
    if (full) {
      await this.end(taken, { state: 'failed', problem: full }, taken.progress);
      return true;
    }
    const { survey, disk, route, source, next, afterCut, pace, extent, progress } = taken;
    const what = {
      site,
      survey,
      disk,
      steps: route.steps,
      source,
      next,
      afterCut,
      pace,
      extent,
      progress,
      seed: id,
    };
    const tell = (now: RehearsalProgress) => {
      const held = this.held.get(id);
      if (held) Object.assign(held, { progress: now, fresh: true });
    };
    const run = this.bundle ? runInThread(this.bundle, what, tell) : runHere(what, tell);
    this.held.set(id, { taken, run, progress, fresh: false, wish: null });
    const ending = run.ended
      .then((ended) => this.ended(id, ended))
      .catch((error: unknown) => log.error({ err: error }, 'rehearsals'))
      .finally(() => this.endings.delete(ending));
    this.endings.add(ending);
    return true;
  }

  private async noRoom(): Promise<string | null> {
    await mkdir(this.folder, { recursive: true });
    const { bytes } = await sumRoomTaken();
    const { bavail, bsize } = await statfs(this.folder);
    if (bytes < MAX_ROOM && bavail * bsize > KEPT_FREE) return null;
    return 'There is no room for another stand-in on the server. End a rehearsal that is stopped, or make room where the server keeps them.';
  }

  private async heartbeat(id: number, held: Held): Promise<void> {
    const progress = held.fresh ? held.progress : null;
    held.fresh = false;
    const told = await reportAlive(id, this.holder, progress, await roomOf(this.pathOf(id)));
    if (!told) {
      // Somebody else has it, or the job is gone: two writers on one disk must never be.
      this.held.delete(id);
      await held.run.kill();
      return;
    }
    held.run.tell({ pace: told.pace });
    if (!told.wish || held.wish) return;
    held.wish = told.wish;
    held.run.tell({ stop: true });
  }

  private async ended(id: number, ended: Ended): Promise<void> {
    const held = this.held.get(id);
    if (!held) return;
    try {
      const begun = existsSync(this.siteOf(held.taken).journal);
      await this.end(held.taken, endingOf(held, ended, begun), held.progress);
    } finally {
      this.held.delete(id);
    }
  }

  private async end(taken: TakenRehearsal, ending: Ending, progress: RehearsalProgress): Promise<void> {
    const { id } = taken;
    const path = this.pathOf(id);
    const site = this.siteOf(taken);
    const over = ending.state === 'ended' || ending.state === 'cancelled' || ending.state === 'failed';
    // Of an image, the note of what the run made is read below.
    if (over && site.place === 'stand-in') await this.clear(path);
    await endRehearsal(id, this.holder, ending, progress, over ? 0 : await roomOf(path));
    // The journal of an image goes only once what came of it is kept: until then it can be gone on with.
    if (!over || site.place === 'stand-in') return;
    // Files beside an image are not this run's where nothing was begun.
    const proved = ending.state === 'ended' && ending.proof.verdict === 'proved';
    const own = site.place === 'image' || isBegun(progress) || (await isOwnCopy(site));
    const begun = own && existsSync(site.journal);
    if (begun && (proved || site.place === 'copy')) await removeJournal(site.journal);
    else if (begun && ending.state === 'cancelled') await leaveJournal(site.journal, id);
    // Whoever has to find out what became of the image still has it.
    else if (begun) await putAsideJournal(site.journal, id);
    // A copy that came to nothing is of no use to anybody.
    if (site.place === 'copy' && ending.state !== 'ended') await removeCopy(site);
    await this.clear(path);
  }

  private siteOf(taken: TakenRehearsal): Site {
    return siteOf(taken, this.folder);
  }

  /**
   * Away at once, and gone soon: where what is freed is cleared on the drive as well, that takes seconds, which nobody
   * waits for.
   */
  private async clear(path: string): Promise<void> {
    if (!existsSync(path)) return;
    const gone = join(this.folder, `${GONE}${randomUUID()}`);
    await rename(path, gone);
    void removed(gone);
  }

  /** Files that nobody needs any more: of jobs that were deleted, of runs that were forgotten. */
  private async sweep(): Promise<void> {
    this.swept = performance.now();
    await forgetOld(DAYS);
    if (!existsSync(this.folder)) return;
    const alive = await readAliveIds();
    for (const name of await readdir(this.folder)) {
      if (/^\d+$/.test(name) && !alive.has(Number(name))) await this.clear(join(this.folder, name));
      // Of a server that ended before it had removed them.
      else if (name.startsWith(GONE)) void removed(join(this.folder, name));
    }
  }
}

/**
 * What becomes of a run that ended. One that was stopped because its server ends waits for whoever takes it next. What
 * was begun on an image is never given up: only its journal knows where its bytes are.
 */
function endingOf({ taken, wish }: Held, ended: Ended, begun: boolean): Ending {
  const failed = (problem: string): Ending =>
    begun && taken.place !== 'stand-in' ? { state: 'paused', problem } : { state: 'failed', problem };
  if ('stopped' in ended) {
    if (wish === 'cut') return { state: 'cut' };
    if (wish === 'pause') return { state: 'paused' };
    return { state: 'waiting', next: wish === 'cancel' ? 'cancel' : taken.next };
  }
  if ('failed' in ended) {
    if (ended.log) log.error({ rehearsal: taken.id }, ended.log);
    return failed(ended.failed);
  }
  const { outcome } = ended;
  if (!outcome.ok) return failed(outcome.problems.map(({ message }) => message).join(' '));
  if (outcome.value) return { state: 'ended', proof: outcome.value };
  return { state: taken.next === 'cancel' ? 'cancelled' : 'stepped-back' };
}
