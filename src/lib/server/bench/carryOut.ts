import { createHash, type Hash as NodeHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { readFile, rename, rm, writeFile } from 'node:fs/promises';
import {
  JOURNAL_BYTES,
  prove,
  Run,
  takeStock,
  type BenchProof,
  type Device,
  type NewHash,
  type RunProgress,
  type Stock,
} from '$core/bench';
import { failure, success, type Outcome } from '$core/problem';
import type { Step } from '$core/steps';
import { FileDevice } from './fileDevice';
import { openDisk } from './openDisk';
import { Store } from './store';

/** What is carried out, and where what belongs to it lies. */
export interface CarryOut {
  image: string;
  /** On another disk than the image, where that can be. What else the run keeps lies beside it, under the same name. */
  journal: string;
  steps: readonly Step[];
  /** `resume` goes on with a run that was begun; `back` takes its present step back. */
  how: 'begin' | 'resume' | 'back';
  /** Streams longer than this are proved by what is not empty in them; null: every byte is. */
  fingerprintAbove: number | null;
  /** The run before did not end by itself: the power was cut, or it was killed. */
  afterCut: boolean;
  /** Told as it goes; throwing stops the run where it is. */
  progress?: (told: Told) => Promise<void>;
}

/** The same on a disk that is open. */
export type CarryOutOn = Omit<CarryOut, 'image'>;

export type Told =
  | ({ phase: 'carrying out' } & RunProgress)
  | { phase: 'taking stock before' | 'taking stock after'; bytes: number };

export const newHash: NewHash = () => {
  const hash: NodeHash = createHash('sha256');
  return { update: (bytes) => void hash.update(bytes), digest: () => hash.digest('hex') };
};

/**
 * Carries a route out on a disk's file, with its proof. A run that is stopped, by whatever, goes on with `resume`.
 *
 * Problem codes: those of `Run`, `openDisk` and `takeStock`, `begun` (there is a journal already), `not-begun`, `journal-inside`.
 * @returns the proof; null after a step was taken back
 */
export async function carryOut(options: CarryOut): Promise<Outcome<BenchProof | null>> {
  const { journal: journalPath, how, image } = options;
  const no = (code: string, message: string) => failure({ code, path: '', message });
  if (how === 'begin' && existsSync(journalPath)) {
    return no(
      'begun',
      `There is a journal already (${journalPath}): a run was begun. Resume it, or step back.`,
    );
  }
  if (how !== 'begin' && !existsSync(journalPath))
    return no('not-begun', `There is no journal at ${journalPath}, so there is nothing to go on with.`);
  const disk = await openDisk(image);
  if (!disk.ok) return disk;
  try {
    return await carryOutOn(disk.value.device, options);
  } finally {
    await disk.value.close();
  }
}

/** The same on a disk that is open; whether there is a journal is for the caller to know. */
export async function carryOutOn(disk: Device, options: CarryOutOn): Promise<Outcome<BenchProof | null>> {
  const held: { close(): Promise<void> }[] = [];
  try {
    return await withDisk(disk, options, held);
  } finally {
    for (const one of held) await one.close();
  }
}

async function withDisk(
  disk: Device,
  options: CarryOutOn,
  held: { close(): Promise<void> }[],
): Promise<Outcome<BenchProof | null>> {
  const { journal: journalPath, steps, how, progress } = options;
  const open = async (path: string, sectorSize: number) => {
    const device = await FileDevice.open(path, { sectorSize, create: true });
    held.push(device);
    return device;
  };
  const stockOf = (phase: 'taking stock before' | 'taking stock after') => {
    let bytes = 0;
    return takeStock(disk, {
      newHash,
      fingerprintAbove: options.fingerprintAbove,
      progress: async (more) => progress?.({ phase, bytes: (bytes += more) }),
    });
  };
  const route = digestOf(JSON.stringify(steps));
  const journal = await open(how === 'begin' ? `${journalPath}.new` : journalPath, 512);
  if (how === 'begin') await journal.resize(JOURNAL_BYTES);
  const run = await Run.open(
    {
      disk,
      journal,
      aside: async (name) => {
        const store = await Store.open(`${journalPath}.${name}`, disk.sectorSize);
        held.push(store);
        return store;
      },
      steps,
      run: route,
      route,
      newId: (step) => guidOf(`${route} ${step}`),
    },
    { progress: async (told) => progress?.({ phase: 'carrying out', ...told }) },
  );
  if (!run.ok) {
    if (how === 'begin') await rm(`${journalPath}.new`, { force: true });
    return run;
  }
  const beforePath = `${journalPath}.before.json`;
  if (how === 'begin') {
    const before = await stockOf('taking stock before');
    if (!before.ok) {
      await rm(`${journalPath}.new`, { force: true });
      return before;
    }
    await writeFile(beforePath, JSON.stringify(before.value));
    // From here on there is a run that can be gone on with.
    await rename(`${journalPath}.new`, journalPath);
  } else if (options.afterCut) await run.value.noteCut();
  if (how === 'back') {
    return run.value.back();
  }
  const done = await run.value.forward();
  if (!done.ok) return done;
  const after = await stockOf('taking stock after');
  if (!after.ok) return after;
  const { written, relocated, cuts } = run.value.state;
  return success(
    prove({
      takenAt: new Date().toISOString(),
      steps,
      before: JSON.parse(await readFile(beforePath, 'utf8')) as Stock,
      after: after.value,
      written,
      relocated,
      cuts,
    }),
  );
}

const digestOf = (text: string): string => createHash('sha256').update(text).digest('hex');

/** A GUID that is the same for the same words: version 8, which is for what one makes oneself (RFC 9562, 5.8). */
function guidOf(text: string): string {
  const hex = digestOf(text);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-8${hex.slice(13, 16)}-8${hex.slice(17, 20)}-${hex.slice(20, 32)}`.toUpperCase();
}
