import { copyFileSync, existsSync, readFileSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { cutOut, readEverythingIn, makeFreshFolder } from '$core/executor/test/mounted';
import { writeDisk, StepMaker, type TestDiskSpec } from '$core/executor/test/disks';
import { TYPE } from '$core/disk';
import { randomFrom } from '$core/random';
import { executeRoute, type ExecuteOptions } from '../executeRoute';
import { FileDevice } from '../fileDevice';
import { FileStates, filesIn, writeFiles, type FileCut } from './fileCuts';
import { record } from './recording';
import { routeText } from './routeText';

const MIB = 2 ** 20;
const WAYS: readonly FileCut['way'][] = ['all lost', 'none lost', 'some lost', 'torn', 'some lost'];
/** A driver looks at the volumes of every so many-th state in the end; the proof is asked for in each. */
const EYES = 8;

/** Routes whose names and stores count as much as their bytes. */
const RUNS: {
  name: string;
  spec: TestDiskSpec;
  steps: (make: StepMaker) => StepMaker;
  volumes: [number, number][];
}[] = [
  {
    name: 'recovery set aside, Windows moved over itself and extended, recovery put back',
    spec: {
      size: 26,
      parts: [
        { number: 1, at: 1, size: 6, make: 'ntfs', label: 'Windows', inside: (into) => filled(into, 9) },
        {
          number: 2,
          at: 8,
          size: 5,
          make: 'ntfs',
          label: 'Recovery',
          type: TYPE.recovery,
          name: 'Recovery',
          inside: (into) => filled(into, 3),
        },
      ],
    },
    steps: (make) => make.setAside(2).move(1, 2).extend(1, 16).putBack(2, 19),
    volumes: [
      [2, 16],
      [19, 5],
    ],
  },
  {
    name: 'a volume copied out, deleted, made anew smaller, and copied back',
    spec: {
      size: 30,
      parts: [
        {
          number: 1,
          at: 1,
          size: 9,
          make: 'ntfs',
          label: 'Data',
          clusterSize: 1024,
          inside: (into) => filled(into, 6),
        },
      ],
    },
    steps: (make) => make.copyOut(1).remove(1).create(2, 8, 12, 1).copyBack(2, 1),
    volumes: [[8, 12]],
  },
];

function filled(into: string, count: number): void {
  for (let i = 0; i < count; i++)
    writeFileSync(join(into, `tide ${i}.txt`), `high water ${i}\n`.repeat(9000 + i));
}

/**
 * Runs the command line, records its system calls, and from states that a cut leaves of them goes on to the end; from
 * every second one it takes the step back first.
 *
 * @param wanted states, over all runs @param seed of what is lost
 */
export async function proveSystemCuts(
  wanted: number,
  seed: number,
): Promise<{ states: number; failures: string[] }> {
  const work = makeFreshFolder('system-cuts');
  const failures: string[] = [];
  let states = 0;
  try {
    for (const run of RUNS) {
      const laid = await recorded(run, work);
      const random = randomFrom(seed);
      const cuts = cutsOf(laid.events.length, Math.ceil(wanted / RUNS.length), seed);
      const found = new FileStates(laid.before, laid.events);
      for (const [i, cut] of cuts.entries()) {
        states++;
        writeFiles(found.found(cut, random), laid.folder);
        restoreTimes(laid);
        const problem = await tried(laid, i).catch((error: unknown) =>
          String((error as Error).stack ?? error),
        );
        if (problem)
          failures.push(
            `${run.name}, before event ${cut.at} of ${laid.events.length}, ${cut.way}: ${problem}`,
          );
        if (failures.length > 5) return { states, failures };
      }
    }
    return { states, failures };
  } finally {
    rmSync(work, { recursive: true, force: true });
  }
}

type Laid = Awaited<ReturnType<typeof recorded>>;

async function recorded(run: (typeof RUNS)[number], work: string) {
  const folder = makeFreshFolder('recorded', work);
  const [image, journal, kept] = [join(folder, 'disk.img'), join(folder, 'journal'), join(work, 'kept.img')];
  writeFileSync(image, '');
  const disk = await FileDevice.open(image);
  await disk.resize(run.spec.size * MIB);
  await writeDisk(run.spec, disk);
  await disk.close();
  copyFileSync(image, kept);
  const { all: steps } = run.steps(new StepMaker(run.spec));
  const route = join(work, 'route.json');
  writeFileSync(route, routeText(steps));
  const before = filesIn(folder);
  const args = [
    '--image',
    image,
    '--route',
    route,
    '--journal',
    journal,
    '--in-place',
    '--proof',
    join(folder, 'proof.json'),
  ];
  const events = record(folder, makeFreshFolder('recorder', work), 'node', ['scripts/carryOut.mjs', ...args]);
  const seen = run.volumes.map((place) => eyes(image, place, work));
  return { folder, image, journal, kept, work, steps, before, events, seen, volumes: run.volumes };
}

const eyes = (image: string, [at, size]: [number, number], work: string): string =>
  readEverythingIn(cutOut(image, at * MIB, size * MIB, join(work, 'volume.img')));

/** The files were written anew; those that the run noted at its end have their times again. */
function restoreTimes({ image, journal }: Laid): void {
  const left = `${journal}.left.json`;
  if (!existsSync(left)) return;
  const [[, changed]] = JSON.parse(readFileSync(left, 'utf8')) as [[number, number]];
  utimesSync(image, (changed + 0.5) / 1000, (changed + 0.5) / 1000);
}

/** Cuts, as many as are wanted, over all events, in every way; another seed begins at others. */
function cutsOf(events: number, wanted: number, seed: number): FileCut[] {
  const cuts: FileCut[] = [];
  for (let i = 0; i < wanted; i++)
    cuts.push({
      at: Math.floor(((i + (seed % 89) / 89) * (events + 1)) / wanted),
      way: WAYS[(i + seed) % WAYS.length]!,
    });
  return cuts;
}

/** Fault of what comes of a state; null: none. */
async function tried(laid: Laid, turn: number): Promise<string | null> {
  const { image, journal, kept, steps, seen, volumes, work } = laid;
  const run = (how: ExecuteOptions['how']) =>
    executeRoute({
      image,
      journal,
      steps,
      how,
      extent: 'quick',
      afterCut: how !== 'begin',
      fingerprintAbove: null,
    });
  if (!existsSync(journal)) {
    if (!readFileSync(image).equals(readFileSync(kept)))
      return 'the disk has changed, and there is no journal';
    const begun = await run('begin');
    if (!begun.ok && begun.problems[0]!.code === 'remains')
      for (const rest of ['.before.json', '.steps.json']) rmSync(journal + rest, { force: true });
    else if (!begun.ok) return `not begun anew: ${begun.problems[0]!.message}`;
    if (!begun.ok) {
      const again = await run('begin');
      if (!again.ok) return `not begun anew: ${again.problems[0]!.message}`;
    }
  } else if (turn % 2 === 0) {
    const back = await run('back');
    if (!back.ok) return `not taken back: ${back.problems[0]!.message}`;
  }
  const done = await run('resume');
  if (!done.ok) return `not gone on: ${done.problems[0]!.message}`;
  if (!('proof' in done.value) || done.value.proof.verdict !== 'proved')
    return `not proved: ${'proof' in done.value ? done.value.proof.differences.join(' ') : ''}`;
  if (readFileSync(image).includes('GTINWORK')) return 'the disk still carries its mark';
  if (turn % EYES !== 0) return null;
  const different = volumes.findIndex((place, i) => eyes(image, place, work) !== seen[i]);
  return different < 0 ? null : `a driver reads something else from volume ${different}`;
}
