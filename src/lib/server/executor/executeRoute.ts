import { createHash, randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { resolve } from 'node:path';
import {
  prove,
  refusalsOf,
  RouteRun,
  takeInventory,
  type ExecutionProof,
  type Device,
  type RunProgress,
  type RunSetup,
  type Inventory,
} from '$core/executor';
import { failure, success, type Outcome } from '$core/problem';
import type { Step } from '$core/steps';
import {
  findChangeSinceLeft,
  forgetLeft,
  isStoreName,
  journalFiles,
  noteLeft,
  readInventory,
  storeBeside,
  writeInventory,
  writeSteps,
} from './beside';
import type { FileDevice } from './fileDevice';
import { Hasher, newHash } from './hashAside';
import { mayBegin, NewJournal, openJournal } from './journalFile';
import { imageFiles, openDisk } from './openDisk';
import { Store, StoreDamage } from './store';

/** A run's route, with the places of its files. */
export interface ExecuteOptions {
  image: string;
  /** On another disk than the image, where that can be. What else the run keeps lies beside it, under the same name. */
  journal: string;
  steps: readonly Step[];
  /**
   * `resume` goes on with a run that was begun; `back` takes its present step back; `end` does so and ends the run
   * there.
   */
  how: 'begin' | 'resume' | 'back' | 'end';
  /** Options of reading for the proof, see `InventoryOptions`. */
  extent: Inventory['extent'];
  /** Streams longer than this are proved by what is not empty in them; null: every byte is. */
  fingerprintAbove: number | null;
  /** The run before did not end by itself: the power was cut, or it was killed. */
  afterCut: boolean;
  /** Receives the progress of the run; an exception stops the run where it is. */
  progress?: (told: RunReport) => Promise<void>;
  /** Called once disk and journal are found to belong together; nothing was written to the disk before. */
  entered?: () => void;
}

/** The same on a disk that is open. */
export interface ExecuteOnOptions extends Omit<ExecuteOptions, 'image'> {
  /** Files that the disk lies in. */
  files: readonly string[];
  serial: string | null;
}

export type RunReport =
  | ({ phase: 'carrying out' } & RunProgress)
  | { phase: 'taking stock before' | 'taking stock after'; bytes: number };

/** End of a command. */
export type Execution =
  | { proof: ExecutionProof }
  /** The step that was taken back, from 0; null: no step was half done. */
  | { takenBack: number | null; finished: boolean };

/**
 * Carries a route out on a disk's file, with its proof. A run that is stopped, by whatever, goes on with `resume`.
 *
 * Problem codes: those of {@link executeRouteOn} and `openDisk`, `changed`.
 */
export async function executeRoute(options: ExecuteOptions): Promise<Outcome<Execution>> {
  const { journal, how, image } = options;
  const found = await imageFiles(image);
  if (!found.ok) return found;
  const files = found.value;
  // Before the disk is opened: some formats note that they were.
  const may = how === 'begin' ? await mayBegin(journal, files) : await mayGoOn(journal, files);
  if (!may.ok) return may;
  const disk = await openDisk(image);
  if (!disk.ok) return disk;
  const { device, serial, close, leave } = disk.value;
  let entered = false;
  try {
    const enter = () => {
      entered = true;
      options.entered?.();
    };
    return await executeRouteOn(device, { ...options, files, serial, entered: enter });
  } finally {
    // A refused disk stays as it is.
    await (entered ? close() : leave());
    if (entered && existsSync(journal)) await noteLeft(journal, files);
  }
}

/** Whether a run on some files may be gone on with. Problem codes: those of `openJournal`, `changed`. */
export async function mayGoOn(journal: string, files: readonly string[]): Promise<Outcome<null>> {
  const opened = await openJournal(journal, files);
  if (!opened.ok) return opened;
  await opened.value.close();
  const changed = await findChangeSinceLeft(journal, files);
  return changed === null
    ? success(null)
    : failure({
        code: 'changed',
        path: '',
        message: `${changed} was written to by something else after this run was stopped, so what the journal says of it may not hold any more. Put it back as it was, or give up the run and restore the image.`,
      });
}

/**
 * The same on a disk that is open.
 *
 * Problem codes: those of `Run`, `takeInventory`, `mayBegin` and `openJournal`.
 */
export async function executeRouteOn(disk: Device, options: ExecuteOnOptions): Promise<Outcome<Execution>> {
  const held: { close(): Promise<void> }[] = [];
  try {
    return await withDisk(disk, options, held);
  } finally {
    for (const one of held) await one.close();
  }
}

async function withDisk(
  disk: Device,
  options: ExecuteOnOptions,
  held: { close(): Promise<void> }[],
): Promise<Outcome<Execution>> {
  const { journal: path, steps, how, progress } = options;
  const route = digestOf(JSON.stringify(steps));
  const hasher = new Hasher();
  held.push(hasher);
  const stockOf = (phase: 'taking stock before' | 'taking stock after', before: Inventory | null) => {
    let bytes = 0;
    const { extent, fingerprintAbove } = options;
    return takeInventory(disk, {
      newHash,
      newStreamHash: hasher.newStreamHash,
      extent: before?.extent ?? extent,
      steps,
      before,
      fingerprintAbove,
      progress: async (more) => progress?.({ phase, bytes: (bytes += more) }),
    });
  };
  const setup = (journal: FileDevice): RunSetup => ({
    disk,
    journal,
    aside: async (name) => {
      // A journal that was made to lead elsewhere leads nowhere.
      if (!isStoreName(name)) throw new StoreDamage(`The journal names a store that no run has: “${name}”.`);
      const store = await Store.open(storeBeside(path, name), disk.sectorSize);
      held.push(store);
      return store;
    },
    steps,
    route,
    newId: (step) => guidOf(`${route} ${step}`),
    serial: options.serial,
    journalAt: resolve(path),
  });
  const hooks = {
    progress: async (told: RunProgress) => progress?.({ phase: 'carrying out', ...told }),
  };

  let run: RouteRun;
  if (how === 'begin') {
    const begun = await begin();
    if (!begun.ok) return begun;
    run = begun.value;
  } else {
    const journal = await openJournal(path, options.files);
    if (!journal.ok) return journal;
    held.push(journal.value);
    const resumed = await RouteRun.resume(setup(journal.value), hooks);
    if (!resumed.ok) return resumed;
    run = resumed.value;
    await enter();
    if (options.afterCut && !run.done) await run.noteCut();
  }
  if (how === 'back' || how === 'end') {
    const finished = run.done;
    const takenBack = run.within ? run.state.step : null;
    const back = await (how === 'back' ? run.back() : run.end());
    return back.ok ? success({ takenBack, finished }) : back;
  }
  const before = await readInventory(path, run.head.stock);
  const done = await run.forward();
  if (!done.ok) return done;
  const after = await stockOf('taking stock after', before);
  if (!after.ok) return after;
  const { written, relocated, cuts } = run.state;
  const takenAt = new Date().toISOString();
  return success({ proof: prove({ takenAt, steps, before, after: after.value, written, relocated, cuts }) });

  async function begin(): Promise<Outcome<RouteRun>> {
    const may = await mayBegin(path, options.files);
    if (!may.ok) return may;
    const [problem, ...more] = await refusalsOf(disk, steps);
    if (problem) return failure(problem, ...more);
    const before = await stockOf('taking stock before', null);
    if (!before.ok) return before;
    const journal = await NewJournal.make(path);
    held.push(journal.device);
    let placed = false;
    try {
      const begunAt = new Date().toISOString().replace(/\.\d+/, '');
      const stock = await writeInventory(path, before.value);
      await writeSteps(path, steps);
      const begun = await RouteRun.begin(setup(journal.device), { run: randomUUID(), begunAt, stock }, hooks);
      if (!begun.ok) return begun;
      await journal.place();
      placed = true;
      await enter();
      return begun;
    } finally {
      await journal.drop();
      // Nothing was begun, so nothing may look as if it was.
      if (!placed) for (const one of await journalFiles(path)) await rm(one, { force: true });
    }
  }

  async function enter(): Promise<void> {
    await forgetLeft(path);
    options.entered?.();
  }
}

const digestOf = (text: string): string => createHash('sha256').update(text).digest('hex');

/** A GUID that is the same for the same words: version 8, which is for what one makes oneself (RFC 9562, 5.8). */
function guidOf(text: string): string {
  const hex = digestOf(text);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-8${hex.slice(13, 16)}-8${hex.slice(17, 20)}-${hex.slice(20, 32)}`.toUpperCase();
}
