import type { RehearsalState } from '$contract/rehearsalStates';
import { unwrap } from '$core/problem';
import { createJob, deleteJob } from '../jobs/changeJob';
import { findWholeJob } from '../jobs/findJob';
import type { Job } from '$contract/jobs';
import type { Rehearsal } from '$contract/rehearsals';
import type { SurveyingLine } from '$contract/surveys';
import { execFileSync, spawn } from 'node:child_process';
import {
  existsSync,
  linkSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { cutOut, readEverythingIn, makeFreshFolder, say } from '$core/executor/test/mounted';
import { shareOf } from '$core/test/evidence';
import { GIB, MIB } from '$core/units';
import { forgetConfig } from '../../platform/settings/config';
import { windowsImage } from '../../../../../scripts/test/windowsImage';
import { change, closeDatabase, database } from '../../store/database/database';
import { saveGoal } from '../goals/goals';
import { historyOf } from '../../store/history/history';
import { migrate } from '../../store/migrate/migrate';
import { planGoal } from '../goals/planGoal';
import { RehearsalSupervisor } from '../rehearsals/supervisor';
import { findRehearsal, proofOf, readRehearsalLine } from '../rehearsals/rehearsals';
import type { RehearsalStart } from '$contract/rehearsals';
import { startRehearsal } from '../rehearsals/start';
import { commandRehearsal } from '../rehearsals/commandRehearsal';
import { surveyImageAsLines } from '../../web/handlers/surveyImage';

const all = makeFreshFolder('image-runs');
let folder = '';
let tests = 0;
/** A virtual machine's disk as its own programs made it, and what a driver sees in its Windows. */
const raw = join(all, 'disk.img');
let windows = '';

beforeAll(async () => {
  await migrate();
  const image = windowsImage({ recovery: 200 });
  execFileSync('cp', ['--sparse=always', image.path, raw]);
  windows = readEverythingIn(image.windows);
  image.remove();
}, 60_000);
beforeEach(async () => {
  await change(database(), 'DELETE FROM jobs');
  folder = join(all, String(++tests));
  mkdirSync(folder);
  process.env['GENTLE_TIDE_IMAGES'] = folder;
  forgetConfig();
});
afterAll(async () => {
  delete process.env['GENTLE_TIDE_IMAGES'];
  forgetConfig();
  await closeDatabase();
  rmSync(all, { recursive: true, force: true, maxRetries: 9 });
});

function put(format: string, name: string, options: string[] = []): string {
  const path = join(folder, name);
  execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', format, ...options, raw, path]);
  return path;
}

/** What the lines of a survey of an image tell: how far it was, and the answer. */
async function surveyed(number: number, image: string): Promise<SurveyingLine[]> {
  const job = (await findWholeJob(number))!;
  const response = unwrap(await surveyImageAsLines(job.number, { version: job.version, image }));
  const lines = (await response.text()).trim().split('\n');
  return lines.map((line) => JSON.parse(line) as SurveyingLine);
}

/** A job whose survey was read from an image on the server, with a route to a larger Windows. */
async function jobOn(image: string): Promise<Job> {
  const number = await createJob('Harbour Ferry Office', 'booking desk');
  const lines = await surveyed(number, image);
  expect(lines.at(-1)).toMatchObject({ status: 200, answer: { number } });
  const job = (await findWholeJob(number))!;
  const options = { kits: ['offline-mover'], mayEnlargeDisk: true };
  const goal = await planGoal(job, { size: 200 * MIB, keepFreePercent: 0, options }, {});
  if (!goal.ok) throw new Error(goal.problems[0]!.message);
  unwrap(await saveGoal(number, job.version, goal.value));
  return (await findWholeJob(number))!;
}

const codeOf = async (job: Job, start: Partial<RehearsalStart>) => {
  const outcome = await startRehearsal(job, { pace: 'fast', ...start }, {});
  return outcome.ok ? 'begun' : outcome.problems[0]!.code;
};
async function begun(job: Job, start: Partial<RehearsalStart>): Promise<number> {
  const outcome = await startRehearsal(job, { pace: 'fast', ...start }, {});
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
}
const supervisor = () => new RehearsalSupervisor(join(all, 'stand-ins'), undefined, 1);

async function until(
  one: RehearsalSupervisor,
  job: Job,
  id: number,
  wanted: (now: Rehearsal) => boolean,
): Promise<Rehearsal> {
  const late = Date.now() + 50_000;
  for (;;) {
    await one.poll();
    const now = (await findRehearsal(job.number, id))!;
    if (wanted(now)) {
      // What is done once it is told of: its journal goes.
      if (['ended', 'cancelled', 'failed'].includes(now.state)) await one.stop();
      return now;
    }
    if (Date.now() > late)
      throw new Error(`still ${now.state}: ${JSON.stringify(now.progress)} ${now.problem}`);
    await new Promise((done) => setTimeout(done, 30));
  }
}
const is = (state: RehearsalState) => (now: Rehearsal) => now.state === state;
const moving = (now: Rehearsal) => now.progress.phase === 'carrying-out' && now.progress.arrived > 4 * MIB;

/** What other programs see in an image: its size, and the files of Windows. */
function seen(path: string, format: string, job: Job) {
  const plain = join(all, 'plain.img');
  execFileSync('qemu-img', ['convert', '-f', format, '-O', 'raw', path, plain]);
  const { first, sectors } = job.answer!.routes[0]!.asLeft.partitions.find(({ number }) => number === 3)!;
  const volume = cutOut(plain, first * 512, sectors * 512, join(all, 'volume.img'));
  const files = readEverythingIn(volume);
  rmSync(plain);
  rmSync(volume);
  const { ['virtual-size']: bytes } = JSON.parse(
    execFileSync('qemu-img', ['info', '--output=json', '-f', format, path], { encoding: 'utf8' }),
  ) as Record<string, number>;
  return { bytes, files, size: sectors * 512 };
}

describe('an image on the server', () => {
  it('is surveyed for a job, with its cluster map; what is none is refused in a sentence, with nothing kept', async () => {
    put('qcow2', 'booking.qcow2');
    const job = await jobOn('booking.qcow2');
    expect([job.survey!.source, job.survey!.image]).toEqual(['image', 'booking.qcow2']);
    const [disk] = job.survey!.document.disks;
    expect(disk).toMatchObject({ media: 'virtual', model: 'disk image (qcow2)' });
    expect(disk!.partitions[2]!.volume!.clusterMap).toBeDefined();
    expect((await historyOf(job.number)).entries.at(-2)!.what).toMatch(/from booking.qcow2 on the server/);
    const again = await surveyed(job.number, 'booking.qcow2');
    expect(again.filter((line) => 'progress' in line).length).toBeGreaterThan(1);

    execFileSync('bash', ['-c', 'head -c 70000 /dev/urandom > "$1"', 'noise', join(folder, 'noise.img')]);
    const noise = await surveyed(job.number, 'noise.img');
    expect(noise.at(-1)).toMatchObject({ status: 422 });
    const { version } = (await findWholeJob(job.number))!;
    const stale = unwrap(await surveyImageAsLines(job.number, { version: 1, image: 'booking.qcow2' }));
    expect((await stale.text()).trim().split('\n').at(-1)).toContain('"status":409');
    for (const image of ['gone.img', '../booking.qcow2'])
      expect(await surveyImageAsLines(job.number, { version, image })).toMatchObject({
        problems: [{ code: 'no-image' }],
      });
    // Whoever leaves stops it.
    const left = unwrap(await surveyImageAsLines(job.number, { version, image: 'booking.qcow2' }));
    await left.body!.cancel();
    await new Promise((done) => setTimeout(done, 300));
    expect((await findWholeJob(job.number))!.version).toBe(version);
  }, 60_000);

  const formats = [
    ['qcow2', 'machine.qcow2', []],
    ['vmdk', 'flat.vmdk', ['-o', 'subformat=monolithicFlat']],
  ] as const;
  it.each(shareOf(formats, 2))(
    'stays as it is while the route is carried out on a copy of it, and other programs read the copy: %s %s',
    async (format, name, options) => {
      const path = put(format, name, [...options]);
      const before = readFileSync(path);
      const job = await jobOn(name);
      const id = await begun(job, { place: 'copy' });
      const ended = await until(supervisor(), job, id, is('ended'));
      expect([ended.verdict, (await proofOf(job.number, id))!.differences]).toEqual(['proved', []]);
      expect(readFileSync(path).equals(before)).toBe(true);
      const copy = join(folder, `${name.split('.')[0]}.carried-out-${id}.${format}`);
      const { files, bytes, size } = seen(copy, format, job);
      expect([files === windows, size]).toEqual([true, 200 * MIB]);
      expect(bytes).toBeGreaterThan(400 * MIB);
      expect(say('qemu-img', 'check', '-f', format, copy)).toMatch(/No errors|does not support checks/);
      expect(readdirSync(folder).filter((one) => /journal|part/.test(one))).toEqual([]);
      expect(await readRehearsalLine(job.goal!.id, 0)).toMatch(
        /^Carried out on a copy of .*: nothing lost\.$/,
      );
    },
    60_000,
  );

  it('is never taken for a run’s own copy: a file, a folder, a link or a journal of that name stays as it is', async () => {
    put('qcow2', 'machine.qcow2');
    const job = await jobOn('machine.qcow2');
    const others: ((copy: string) => void)[] = [
      (copy) => void execFileSync('cp', [join(folder, 'machine.qcow2'), copy]),
      (copy) => writeFileSync(copy, 'holiday pictures'),
      (copy) => mkdirSync(copy),
      (copy) => symlinkSync(join(folder, 'machine.qcow2'), copy),
      (copy) => writeFileSync(`${copy}.journal`, 'another’s'),
    ];
    for (const put of shareOf(others, 2)) {
      const id = await begun(job, { place: 'copy' });
      const copy = join(folder, `machine.carried-out-${id}.qcow2`);
      put(copy);
      const before = say('tar', 'c', '-C', folder, '.');
      // Where a journal lies it waits for somebody to look.
      const refused = await until(supervisor(), job, id, ({ problem }) => problem !== null);
      expect(refused.problem).toMatch(
        /machine.carried-out-\d+.qcow2(.journal)? lies in the folder of images/,
      );
      expect(say('tar', 'c', '-C', folder, '.') === before).toBe(true);
      rmSync(copy, { recursive: true, force: true });
      rmSync(`${copy}.journal`, { force: true });
      if (refused.state === 'paused') {
        await commandRehearsal(job.number, id, 'cancel');
        await until(supervisor(), job, id, is('cancelled'));
      }
    }
    // Cancelled before its turn came, it removes nothing either.
    const id = await begun(job, { place: 'copy' });
    const copy = join(folder, `machine.carried-out-${id}.qcow2`);
    writeFileSync(copy, 'holiday pictures');
    await commandRehearsal(job.number, id, 'cancel');
    await until(supervisor(), job, id, is('cancelled'));
    expect(readFileSync(copy, 'utf8')).toBe('holiday pictures');
  }, 60_000);

  it('put in the place of a run’s copy while it is stopped is not written to', async () => {
    put('qcow2', 'machine.qcow2');
    const job = await jobOn('machine.qcow2');
    const one = supervisor();
    const id = await begun(job, { place: 'copy', pace: 'drive' });
    await until(one, job, id, moving);
    await commandRehearsal(job.number, id, 'cut');
    await until(one, job, id, is('cut'));
    const copy = join(folder, `machine.carried-out-${id}.qcow2`);
    execFileSync('mv', [copy, join(all, 'own')]);
    execFileSync('cp', ['--preserve=all', join(all, 'own'), copy]);
    const before = readFileSync(copy);
    await commandRehearsal(job.number, id, 'resume');
    await until(one, job, id, (now) => now.state === 'paused' && now.problem !== null);
    expect(readFileSync(copy).equals(before)).toBe(true);
    // Moved back it is the same file, and is gone on with.
    execFileSync('mv', [join(all, 'own'), copy]);
    // So is one whose run was killed before it took the name of before away.
    linkSync(copy, join(folder, `.machine.carried-out-${id}.qcow2.part`));
    await commandRehearsal(job.number, id, 'resume');
    await commandRehearsal(job.number, id, 'fast');
    expect((await until(one, job, id, is('ended'))).verdict).toBe('proved');
  }, 60_000);

  it('is worked on itself only where its name is typed, and survives cuts, a step back, and being gone on with', async () => {
    const path = put('vhdx', 'machine.vhdx');
    const job = await jobOn('machine.vhdx');
    for (const typed of [undefined, '', 'machine', 'Machine.vhdx', 'machine.vhdx '])
      expect(await codeOf(job, { place: 'image', ...(typed === undefined ? {} : { typed }) })).toBe(
        'name-not-typed',
      );
    const one = supervisor();
    const id = await begun(job, { place: 'image', typed: 'machine.vhdx', pace: 'drive' });
    await until(one, job, id, moving);
    await commandRehearsal(job.number, id, 'cut');
    await until(one, job, id, is('cut'));
    expect(existsSync(`${path}.journal`)).toBe(true);
    // Nothing else may touch it, and the job that knows of it stays.
    const { number, version } = (await findWholeJob(job.number))!;
    expect(await deleteJob(number, version)).toMatchObject({
      problems: [
        { code: 'job-on-image', message: expect.stringMatching(/machine.vhdx. End that first/) as string },
      ],
    });
    const other = await createJob('Salt Pan Library', 'catalogue');
    expect(await surveyImageAsLines(other, { version: 1, image: 'machine.vhdx' })).toMatchObject({
      problems: [{ code: 'image-at-work' }],
    });
    await commandRehearsal(job.number, id, 'step-back');
    await until(one, job, id, is('stepped-back'));
    await commandRehearsal(job.number, id, 'resume');
    await until(one, job, id, moving);
    await commandRehearsal(job.number, id, 'pause');
    await until(one, job, id, is('paused'));
    // The command line finds the same run.
    expect(
      say('node', 'scripts/carryOut.mjs', '--image', path, '--in-place', '--enlarge-to', '2G', '--yes'),
    ).toContain('There is a journal already');
    await commandRehearsal(job.number, id, 'fast');
    await commandRehearsal(job.number, id, 'resume');
    const ended = await until(one, job, id, is('ended'));
    const proof = (await proofOf(job.number, id))!;
    expect([ended.verdict, proof.differences, proof.cuts]).toEqual(['proved', [], 1]);
    expect(seen(path, 'vhdx', job).files).toBe(windows);
    expect(readdirSync(folder)).toEqual(['machine.vhdx']);
    const told = (await historyOf(job.number)).entries.map(({ what }) => what);
    expect(told).toContainEqual(expect.stringMatching(/^Carrying out on machine.vhdx begun: /));
    expect(told.at(-1)).toBe('Carrying out on machine.vhdx ended: as promised, nothing lost, one power cut.');
    // Its survey afterwards: the route's end.
    expect((await surveyed(job.number, 'machine.vhdx')).at(-1)).toMatchObject({ status: 200 });
    const [left] = (await findWholeJob(job.number))!.survey!.document.disks;
    expect(left!.partitions.map(({ number, first, sectors }) => ({ number, first, sectors }))).toEqual(
      job.answer!.routes[0]!.asLeft.partitions.map(({ number, first, sectors }) => ({
        number,
        first,
        sectors,
      })),
    );
  }, 90_000);

  it('that something else has open, or wrote to meanwhile, is not touched', async () => {
    const path = put('qcow2', 'busy.qcow2');
    const job = await jobOn('busy.qcow2');
    const before = readFileSync(path);
    const opened = async () => {
      const other = spawn('sleep', ['60'], { stdio: [openSync(path, 'r'), 'ignore', 'ignore'] });
      await new Promise((done) => other.once('spawn', done));
      return other;
    };
    const early = await opened();
    expect(await codeOf(job, { place: 'image', typed: 'busy.qcow2' })).toBe('image-open');
    early.kill();
    await new Promise((done) => early.once('exit', done));
    // Opened after it was put into the queue, before its turn comes.
    const refused = await begun(job, { place: 'image', typed: 'busy.qcow2' });
    const open = await opened();
    const one = supervisor();
    // Of a run from the command line that has only just begun.
    writeFileSync(`${path}.journal.new`, 'another’s');
    const failed = await until(one, job, refused, is('failed'));
    open.kill();
    expect(readFileSync(`${path}.journal.new`, 'utf8')).toBe('another’s');
    rmSync(`${path}.journal.new`);
    expect(failed.problem).toMatch(/Something else has .*busy.qcow2 open: .*sleep \(process \d+\)/);
    expect(readFileSync(path).equals(before)).toBe(true);
    expect(readdirSync(folder)).toEqual(['busy.qcow2']);

    const id = await begun(job, { place: 'image', typed: 'busy.qcow2', pace: 'drive' });
    expect(await codeOf(await jobOnSame(job), { place: 'copy' })).toBe('image-under-way');
    await until(one, job, id, moving);
    await commandRehearsal(job.number, id, 'cut');
    await until(one, job, id, is('cut'));
    // A virtual machine was begun on it, say.
    const at = new Date(Date.now() + 5000);
    execFileSync('cp', ['--preserve=timestamps', path, join(all, 'was')]);
    utimesSync(path, at, at);
    await commandRehearsal(job.number, id, 'resume');
    const paused = await until(one, job, id, (now) => now.state === 'paused' && now.problem !== null);
    expect(paused.problem).toMatch(/busy.qcow2 was written to by something else/);
    expect((await commandRehearsal(job.number, id, 'step-back')).ok).toBe(true);
    await until(one, job, id, (now) => now.state === 'paused' && now.problem !== null);
    // Put back as it was, it can be ended: the step in hand is taken back.
    execFileSync('touch', ['--reference', join(all, 'was'), path]);
    await commandRehearsal(job.number, id, 'cancel');
    await until(one, job, id, is('cancelled'));
    expect(readdirSync(folder)).toEqual(['busy.qcow2']);
    expect(say('qemu-img', 'check', '-f', 'qcow2', path)).toContain('No errors');

    // Or it is given up as it lies: nothing is written to it any more, and the journal stays for whoever looks into it.
    // Its disk is larger by now, so the route is not for it any more.
    const late = await begun(job, { place: 'image', typed: 'busy.qcow2' });
    expect((await until(one, job, late, is('failed'))).problem).toBe('The disk has that size already.');
    put('qcow2', 'busy.qcow2');
    const last = await begun(job, { place: 'image', typed: 'busy.qcow2', pace: 'drive' });
    await until(one, job, last, moving);
    const tooEarly = await commandRehearsal(job.number, last, 'give-up');
    expect(tooEarly.ok || tooEarly.problems[0]!.message).toMatch(/that is stopped/);
    await commandRehearsal(job.number, last, 'cut');
    await until(one, job, last, is('cut'));
    const lay = readFileSync(path);
    await commandRehearsal(job.number, last, 'give-up');
    await until(one, job, last, is('cancelled'));
    expect(readFileSync(path).equals(lay)).toBe(true);
    expect(readdirSync(folder)).toContain(`busy.qcow2.journal.given-up-${last}`);
    expect(existsSync(`${path}.journal`)).toBe(false);

    // A journal that somebody took away: nothing is begun anew on what lies half here and half there.
    put('qcow2', 'busy.qcow2');
    const robbed = await begun(job, { place: 'image', typed: 'busy.qcow2', pace: 'drive' });
    await until(one, job, robbed, moving);
    await commandRehearsal(job.number, robbed, 'cut');
    await until(one, job, robbed, is('cut'));
    const half = readFileSync(path);
    rmSync(`${path}.journal`);
    await commandRehearsal(job.number, robbed, 'resume');
    expect((await until(one, job, robbed, is('failed'))).problem).toMatch(
      /journal beside busy.qcow2 is not there/,
    );
    expect(readFileSync(path).equals(half)).toBe(true);
  }, 90_000);

  it('is refused where it can’t be worked on, with nothing begun', async () => {
    put('qcow2', 'machine.qcow2');
    const job = await jobOn('machine.qcow2');
    expect(await codeOf({ ...job, survey: { ...job.survey!, image: null } }, { place: 'copy' })).toBe(
      'not-from-image',
    );
    rmSync(join(folder, 'machine.qcow2'));
    expect(await codeOf(job, { place: 'copy' })).toBe('image-gone');
    symlinkSync(raw, join(folder, 'machine.qcow2'));
    expect(await codeOf(job, { place: 'image', typed: 'machine.qcow2' })).toBe('image-gone');
    rmSync(join(folder, 'machine.qcow2'));
    const path = put('qcow2', 'machine.qcow2');
    execFileSync('bash', ['-c', 'echo run > "$1"', 'begun', `${path}.journal`]);
    expect(await codeOf(job, { place: 'image', typed: 'machine.qcow2' })).toBe('run-begun');
    // A copy of a description that would lead to the bytes of the original is none.
    put('vmdk', 'led.vmdk', ['-o', 'subformat=monolithicFlat']);
    const described = join(folder, 'led.vmdk');
    writeFileSync(described, readFileSync(described, 'utf8').replace('"led-flat', '"./led-flat'));
    const bytes = readFileSync(join(folder, 'led-flat.vmdk'));
    const other = await jobOn('led.vmdk');
    const led = await until(supervisor(), other, await begun(other, { place: 'copy' }), is('failed'));
    expect(led.problem).toContain('can’t be led to a copy');
    expect(readFileSync(join(folder, 'led-flat.vmdk')).equals(bytes)).toBe(true);
    for (const file of ['led.vmdk', 'led-flat.vmdk']) rmSync(join(folder, file));

    // Another disk under the same name: the route is not for it.
    rmSync(`${path}.journal`);
    execFileSync('qemu-img', ['create', '-f', 'qcow2', path, String(GIB)], { stdio: 'pipe' });
    const id = await begun(job, { place: 'image', typed: 'machine.qcow2' });
    const failed = await until(supervisor(), job, id, is('failed'));
    expect(failed.problem!.length).toBeGreaterThan(20);
    expect(readdirSync(folder)).toEqual(['machine.qcow2']);
  }, 60_000);

  it('whose copy was given up leaves nothing behind', async () => {
    put('qcow2', 'machine.qcow2');
    const job = await jobOn('machine.qcow2');
    const one = supervisor();
    const id = await begun(job, { place: 'copy', pace: 'drive' });
    await until(one, job, id, moving);
    await commandRehearsal(job.number, id, 'cancel');
    await until(one, job, id, is('cancelled'));
    expect(readdirSync(folder)).toEqual(['machine.qcow2']);
  }, 60_000);
});

/** Another job on the same image. */
async function jobOnSame(job: Job): Promise<Job> {
  return {
    ...(await findWholeJob(await createJob('Salt Pan Library', 'catalogue')))!,
    ...{ survey: job.survey, target: job.target, goal: job.goal, answer: job.answer },
  };
}
