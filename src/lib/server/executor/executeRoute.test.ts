import { execFileSync, spawn } from 'node:child_process';
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { windowsImage } from '../../../../scripts/test/windowsImage';
import { cutOut, readEverythingIn, makeFreshFolder, say } from '$core/executor/test/mounted';
import { planRoutes, type Route } from '$core/planning';
import { surveyFromImage, type SurveyDocument } from '$core/survey';
import { openFileSource } from '$core/test/source';
import { executeRoute as carryOutOf } from './executeRoute';

const MIB = 2 ** 20;
const folder = makeFreshFolder('carry-out');
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function surveyed(path: string): Promise<SurveyDocument> {
  const survey = await surveyFromImage(openFileSource(path), {
    machineName: 'test',
    takenAt: '2026-11-20T09:30:00Z',
  });
  if (!survey.ok) throw new Error(survey.problems[0]!.message);
  return survey.value;
}

/** A Windows volume that is to grow past recovery, as a dynamic VHD that another program wrote. */
let route: Route;
const vhd = join(folder, 'disk.vhd');
const routeFile = join(folder, 'route.json');
let windows: string;

beforeAll(async () => {
  const image = windowsImage({ files: 499, recovery: 80, gap: 70 });
  const survey = await surveyed(image.path);
  // Only a survey of the machine tells that recovery is in use.
  survey.machine.recoveryEnvironment = { enabled: true, disk: 0, partition: 4 };
  const answer = planRoutes({
    survey,
    disk: 0,
    goal: { partition: 3, size: 180 * MIB },
    kits: ['offline-mover'],
  });
  if (!answer.ok) throw new Error(answer.problems[0]!.message);
  route = answer.value.routes[0]!;
  writeFileSync(routeFile, JSON.stringify(route));
  execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', 'vpc', '-o', 'force_size', image.path, vhd]);
  windows = readEverythingIn(image.windows);
  image.remove();
}, 60_000);

const CLI = ['scripts/carryOut.mjs', '--route', routeFile];
const carryOut = (...args: string[]) => say('node', ...CLI, ...args);

function windowsAfter(path: string): string {
  const raw = join(folder, 'after.img');
  execFileSync('qemu-img', ['convert', '-f', 'vpc', '-O', 'raw', path, raw]);
  const { first, sectors } = route.asLeft.partitions.find(({ number }) => number === 3)!;
  const volume = cutOut(raw, first * 512, sectors * 512, join(folder, 'volume.img'));
  const seen = readEverythingIn(volume);
  rmSync(raw);
  rmSync(volume);
  return seen;
}

const placesIn = (survey: SurveyDocument) =>
  survey.disks[0]!.partitions.map(({ number, first, sectors }) => ({ number, first, sectors }));

describe('a route carried out from the command line', () => {
  it('on a copy of a VHD, with its proof, as the route says', async () => {
    expect(route.steps.map(({ verb }) => verb)).toEqual(['move', 'extend']);
    const before = readFileSync(vhd);
    const proofFile = join(folder, 'proof.json');
    const said = carryOut('--image', vhd, '--journal', join(folder, 'one.journal'), '--proof', proofFile);
    expect(said).toContain('carried out, and nothing was lost');
    expect(readFileSync(vhd).equals(before)).toBe(true);

    const copy = join(folder, 'disk.carried-out.vhd');
    expect(placesIn(await surveyed(copy))).toEqual(route.asLeft.partitions);
    expect(windowsAfter(copy)).toBe(windows);
    expect(say('qemu-img', 'check', '-f', 'vpc', copy)).not.toMatch(/error|corrupt/i);
    const proof = JSON.parse(readFileSync(proofFile, 'utf8')) as {
      verdict: string;
      steps: { promised: number; written: number }[];
      partitions: { files: { before: { files: number }; after: { digest: string } } | null }[];
    };
    expect(proof.verdict).toBe('proved');
    expect(proof.partitions[2]!.files!.before.files).toBe(500);
    for (const { promised, written } of proof.steps) {
      expect(written).toBeGreaterThanOrEqual(promised);
      expect(written - promised).toBeLessThan(MIB);
    }
    rmSync(copy);
  }, 60_000);

  it('goes on after it was killed, and takes a step back', async () => {
    const journal = join(folder, 'two.journal');
    const disk = join(folder, 'two.vhd');
    execFileSync('cp', [vhd, disk]);
    const args = ['--image', disk, '--journal', journal, '--in-place'];
    await killed(['--image', disk, '--journal', journal, '--in-place'], journal);
    expect(carryOut(...args)).toContain('There is a journal already');
    expect(carryOut(...args, '--step-back')).toContain('Step 1 was taken back');
    const back = await surveyed(disk);
    expect(placesIn(back)[3]).toEqual({ number: 4, ...route.steps[0]!.from });
    const proofFile = join(folder, 'two.json');
    expect(carryOut(...args, '--resume', '--proof', proofFile)).toContain('nothing was lost');
    expect(windowsAfter(disk)).toBe(windows);
    const { cuts } = JSON.parse(readFileSync(proofFile, 'utf8')) as { cuts: number };
    expect(cuts).toBeGreaterThan(0);
  }, 90_000);

  it('refuses what it can’t do in a sentence, with nothing done', async () => {
    const before = readFileSync(vhd);
    const journal = join(folder, 'three.journal');
    const refused = async (change: (route: Route) => void): Promise<string> => {
      const other = structuredClone(route);
      change(other);
      const { steps } = other;
      const outcome = await carryOutOf({
        image: vhd,
        journal,
        steps,
        how: 'begin',
        extent: 'quick',
        fingerprintAbove: null,
        afterCut: false,
      });
      return outcome.ok ? 'carried out' : outcome.problems[0]!.message;
    };
    expect(
      await refused((one) => void (one.steps[0]!.id = '47540000-0000-4000-8000-00000000BEEF')),
    ).toContain('was made for another disk');
    expect(await refused((one) => void (one.steps[0]!.from!.first += 8))).toContain(
      'is not where the route expects it',
    );
    expect(
      await refused(
        (one) => void (one.steps = [{ ...one.steps[1]!, to: { first: 2048, sectors: 40 } } as never]),
      ),
    ).toMatch(/where another partition lies/);
    writeFileSync(join(folder, 'bad.json'), '{"steps": 3}');
    const bad = [
      'scripts/carryOut.mjs',
      '--route',
      join(folder, 'bad.json'),
      '--image',
      vhd,
      '--journal',
      journal,
    ];
    expect(say('node', ...bad)).toContain('is no route');
    expect(readFileSync(vhd).equals(before)).toBe(true);
    expect(existsSync(journal)).toBe(false);
  }, 60_000);
});

/** Starts it, and kills it once the first step is under way. */
function killed(args: string[], journal: string): Promise<void> {
  return new Promise((resolve, reject) => {
    const child = spawn('node', [...CLI, ...args], { stdio: ['ignore', 'ignore', 'pipe'] });
    let told = '';
    const watch = setInterval(() => {
      // Its first step is under way: it says so.
      if (existsSync(journal) && told.includes('step 1')) child.kill('SIGKILL');
    }, 2);
    child.stderr.on('data', (chunk: Buffer) => (told += chunk.toString()));
    child.on('close', (_, signal) => {
      clearInterval(watch);
      if (signal === 'SIGKILL') resolve();
      else reject(new Error(`it ended by itself: ${told}`));
    });
  });
}
