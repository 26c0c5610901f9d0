import { execFileSync, spawnSync } from 'node:child_process';
import {
  copyFileSync,
  existsSync,
  linkSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { constants, deflateRawSync } from 'node:zlib';
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { Journal } from '$core/executor';
import { MemoryDevice } from '$core/executor/devices/memory';
import { writeDisk, StepMaker, type TestDiskSpec } from '$core/executor/test/disks';
import { shareOf } from '$core/test/evidence';
import { cutOut, readEverythingIn, makeFreshFolder } from '$core/executor/test/mounted';
import type { Outcome } from '$core/problem';
import type { Step } from '$core/steps';
import { main } from './command';
import { executeRoute, type ExecuteOptions, type Execution } from './executeRoute';
import { isStoreName } from './beside';
import { FileDevice } from './fileDevice';
import { lockImage } from './imageLock';
import { routeText } from './test/routeText';

const MIB = 2 ** 20;
const folder = makeFreshFolder('journals');
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A volume that slides over itself, so that half way only its journal knows where its bytes are. */
const spec = (text: string, table: 'gpt' | 'mbr'): TestDiskSpec => ({
  size: 48,
  table,
  parts: [
    {
      number: 1,
      at: 1,
      size: 24,
      make: 'ntfs',
      label: 'Tide',
      inside: (into) => {
        for (let i = 0; i < 40; i++)
          writeFileSync(join(into, `log ${i}`), Buffer.alloc(MIB / 4, `${text} ${i} `.repeat(7)));
      },
    },
  ],
});
const at = (name: string) => join(folder, name);
const SHIFT = 2;
const ways = ['gpt', 'mbr'] as const;
const steps = (table: (typeof ways)[number]): readonly Step[] =>
  new StepMaker(spec('', table)).move(1, 1 + SHIFT).extend(1, 40).all;

/** No sector of zeros at either end: no room for a mark on the disk. */
function crowd(path: string): void {
  const bytes = readFileSync(path);
  for (const [from, to] of [
    [34 * 512, MIB],
    [47 * MIB, 48 * MIB - 33 * 512],
  ] as const)
    for (let i = from; i < to; i += 512) bytes[i + 8] = 0x5a;
  writeFileSync(path, bytes);
}

beforeAll(async () => {
  for (const table of ways)
    for (const name of ['one', 'two']) {
      const path = at(`${name}-${table}.img`);
      writeFileSync(path, '');
      execFileSync('truncate', ['-s', '48M', path]);
      const disk = await FileDevice.open(path);
      await writeDisk(spec(name, table), disk);
      await disk.close();
    }
  copyFileSync(at('one-gpt.img'), at('one-crowded.img'));
  copyFileSync(at('two-gpt.img'), at('two-crowded.img'));
  crowd(at('one-crowded.img'));
  crowd(at('two-crowded.img'));
}, 120_000);

class Cut extends Error {}

/** What came of it: a proof's verdict, what was taken back, or the code of a refusal. */
const word = (outcome: Outcome<Execution>): string =>
  !outcome.ok
    ? outcome.problems[0]!.code
    : 'proof' in outcome.value
      ? outcome.value.proof.verdict
      : `step ${outcome.value.takenBack} back`;

const run = (
  image: string,
  journal: string,
  how: ExecuteOptions['how'],
  more: Partial<ExecuteOptions> = {},
): Promise<Outcome<Execution>> =>
  executeRoute({
    image,
    journal,
    steps: steps('gpt'),
    how,
    extent: 'quick',
    afterCut: how !== 'begin',
    fingerprintAbove: null,
    ...more,
  });

/** Goes on until so many bytes have arrived, and stops dead as a power cut does: nothing is noted afterwards. */
async function until(image: string, journal: string, how: ExecuteOptions['how'], bytes: number, more = {}) {
  const progress: ExecuteOptions['progress'] = async (now) => {
    if (now.phase === 'carrying out' && now.arrived >= bytes) throw new Cut();
  };
  await expect(run(image, journal, how, { progress, ...more })).rejects.toThrow(Cut);
  rmSync(`${journal}.left.json`, { force: true });
}

/** Holds that something is refused with a code and that no byte of some files changed. */
async function refused(code: string | RegExp, files: string[], what: () => Promise<Outcome<Execution>>) {
  const before = files.map((one) => readFileSync(one));
  const outcome = await what();
  expect(word(outcome)).toMatch(code);
  expect(outcome.ok ? '' : outcome.problems[0]!.message).toMatch(/\.$/);
  for (const [i, one] of files.entries())
    expect([one, readFileSync(one).equals(before[i]!)]).toEqual([one, true]);
}

const disk = at('disk.img');
const journal = at('disk.journal');
const lay = (name: string) => {
  for (const one of ['disk.img', 'disk.journal'])
    for (const rest of ['', '.before.json', '.steps.json', '.left.json'])
      rmSync(at(one + rest), { force: true });
  copyFileSync(at(name), disk);
};

/** The files of the volume where the route leaves it, for a driver that knows nothing of us. */
const seen = (path: string, first: number, size: number) => {
  const volume = cutOut(path, first * MIB, size * MIB, at('volume.img'));
  return readEverythingIn(volume);
};

describe('a journal is believed only where it is one, and the one of this disk', () => {
  beforeEach(() => lay('one-gpt.img'));

  it('another image, the image itself under any name, a file of zeros and a folder are no journal', async () => {
    await until(disk, journal, 'begin', 5 * MIB);
    const [other, zeros, link, hard] = [at('other.img'), at('zeros'), at('link'), at('hard')];
    copyFileSync(at('two-gpt.img'), other);
    writeFileSync(zeros, Buffer.alloc(64 * MIB));
    symlinkSync(disk, link);
    linkSync(disk, hard);
    mkdirSync(at('folder'));
    for (const how of ['resume', 'back', 'end'] as const) {
      await refused('no-journal', [disk, other], () => run(disk, other, how));
      await refused('no-journal', [disk, zeros], () => run(disk, zeros, how));
      await refused('no-journal', [disk], () => run(disk, at('folder'), how));
      await refused('no-journal', [disk], () => run(disk, at('nowhere'), how));
      for (const own of [disk, link, hard])
        await refused('journal-inside', [disk], () => run(disk, own, how));
    }
    for (const own of [disk, link, hard])
      await refused('journal-inside', [disk], () => run(disk, own, 'begin'));
    await refused('not-a-journal', [disk, other], () => run(disk, other, 'begin'));
    await refused('no-folder', [disk], () => run(disk, at('no/journal'), 'begin'));
    for (const one of [other, zeros, link, hard]) rmSync(one);
    expect(word(await run(disk, journal, 'resume'))).toBe('proved');
  });

  it('one that lies on the very disk is refused, whatever the way there is called', async () => {
    const [inner, mount] = [at('inner.img'), at('mount')];
    execFileSync('truncate', ['-s', '24M', inner]);
    execFileSync('mkfs.ext4', ['-q', inner]);
    mkdirSync(mount);
    execFileSync('mount', ['-o', 'loop', inner, mount]);
    try {
      await refused('journal-inside', [], () => run(inner, join(mount, 'journal'), 'begin'));
      expect(await lockImage(inner)).toMatchObject({ ok: false, problems: [{ code: 'in-use' }] });
    } finally {
      execFileSync('umount', [mount]);
    }
  });

  it('without a state that is whole it is damaged, and one of an older release is said to be that', async () => {
    await until(disk, journal, 'begin', 5 * MIB);
    const bytes = readFileSync(journal);
    const broken = (change: (bytes: Buffer) => void) => {
      const copy = Buffer.from(bytes);
      change(copy);
      writeFileSync(journal, copy);
    };
    broken((one) => one.fill(0, 4096, 4096 + 2 * 65536));
    await refused('journal-damaged', [disk, journal], () => run(disk, journal, 'resume'));
    broken((one) => one.fill(0x11, 30, 60));
    await refused('journal-damaged', [disk, journal], () => run(disk, journal, 'back'));
    broken((one) => one.fill(0x11, 4096 + 2 * 65536 + 40, 4096 + 2 * 65536 + 80));
    await refused('journal-damaged', [disk, journal], () => run(disk, journal, 'resume'));
    broken((one) => one.write('GTIDEJRN', 0));
    await refused('journal-older', [disk, journal], () => run(disk, journal, 'resume'));
    writeFileSync(journal, bytes);
    expect(word(await run(disk, journal, 'resume'))).toBe('proved');
  });

  it('a plan that unpacks to far more than it takes is refused before it is unpacked', async () => {
    const device = new MemoryDevice(0);
    const head = {
      run: 'r',
      begunAt: '2026-12-01T09:00:00Z',
      route: 'r',
      disk: { sectorSize: 512, id: 'D', serial: null },
      markAt: null,
      stock: null,
    };
    const state = {
      ...{ step: 0, op: null, at: 0, batch: 0, earlier: 0, relocated: [], backing: false, written: [] },
      ...{ marked: [], cuts: 0, ended: false, turn: 0, size: 0, sums: [] },
    };
    const made = await Journal.create(device, head, state);
    // 1 GiB: blocks that don't hang together can be repeated.
    const block = deflateRawSync(Buffer.alloc(MIB), { finishFlush: constants.Z_FULL_FLUSH });
    const bomb = Buffer.concat([...Array<Buffer>(1024).fill(block), deflateRawSync(Buffer.alloc(0))]);
    await made.takePlan({ operations: [], marks: null, more: null, relocated: null }, bomb);
    await made.note({ ...state, op: 0 });
    const before = process.memoryUsage().rss;
    const opened = await Journal.open(device);
    expect(opened.ok || opened.problems[0]!.code).toBe('journal-damaged');
    expect(process.memoryUsage().rss - before).toBeLessThan(600 * MIB);
  });
});

const DISKS = [
  ['with room for a mark', 'one-gpt.img', 'two-gpt.img', 'gpt'],
  ['without room for a mark', 'one-crowded.img', 'two-crowded.img', 'gpt'],
  ['on MBR', 'one-mbr.img', 'two-mbr.img', 'mbr'],
] as const;
describe.each(shareOf(DISKS, 3))('a journal and its disk belong together, %s', (_, own, twin, table) => {
  const more = { steps: steps(table) };
  beforeEach(() => lay(own));

  it('a disk that looks the same, with the same identifiers, is another one', async () => {
    await until(disk, journal, 'begin', 5 * MIB, more);
    const other = at('twin.img');
    copyFileSync(at(twin), other);
    for (const how of ['resume', 'back', 'end'] as const)
      await refused(/disk-old|changed|other-disk/, [other, journal], () => run(other, journal, how, more));
    // Half way too.
    const second = at('twin.journal');
    await until(other, second, 'begin', 5 * MIB, more);
    for (const how of ['resume', 'back'] as const)
      await refused(/disk-old|changed|journal-old/, [other, journal], () => run(other, journal, how, more));
    expect(word(await run(other, second, 'back', more))).toBe('step 0 back');
    expect(seen(other, 1, 24)).toBe(seen(at(twin), 1, 24));
    expect(word(await run(disk, journal, 'resume', more))).toBe('proved');
    for (const rest of ['', '.before.json', '.steps.json', '.left.json'])
      rmSync(second + rest, { force: true });
  });

  it('the image restored from its backup, and an older copy of the journal, are found out', async () => {
    await until(disk, journal, 'begin', 3 * MIB, more);
    const [older, half] = [readFileSync(journal), readFileSync(disk)];
    await until(disk, journal, 'resume', 9 * MIB, more);
    const newer = readFileSync(journal);
    for (const how of ['resume', 'back'] as const) {
      writeFileSync(journal, older);
      await refused(/journal-old|changed/, [disk, journal], () => run(disk, journal, how, more));
      writeFileSync(journal, newer);
      const now = readFileSync(disk);
      for (const was of [readFileSync(at(own)), half]) {
        writeFileSync(disk, was);
        await refused(/disk-old|changed/, [disk, journal], () => run(disk, journal, how, more));
      }
      writeFileSync(disk, now);
    }
    expect(word(await run(disk, journal, 'resume', more))).toBe('proved');
    expect(seen(disk, 1 + SHIFT, 40)).toBe(seen(at(own), 1, 24));
  });

  it('what something else writes next to the boundary, to a table or to a boot sector is found', async () => {
    await until(disk, journal, 'begin', 5 * MIB, more);
    const whole = readFileSync(disk);
    const place = await boundary(journal);
    for (const offset of [446 + 4, ...place]) {
      const bytes = Buffer.from(whole);
      bytes[offset]! ^= 0x40;
      writeFileSync(disk, bytes);
      await refused(
        /changed|disk-old|other-disk|hybrid|no-table|gpt-broken|mbr-broken/,
        [disk, journal],
        () => run(disk, journal, 'resume', more),
      );
    }
    writeFileSync(disk, whole);
    expect(word(await run(disk, journal, 'resume', more))).toBe('proved');
  });

  it('a run whose journal was removed is not begun again', async () => {
    await until(disk, journal, 'begin', 5 * MIB, more);
    rmSync(journal);
    await refused(/remains/, [disk], () => run(disk, journal, 'begin', more));
    if (own !== 'one-crowded.img')
      await refused(/in-work/, [disk], () => run(disk, at('elsewhere.journal'), 'begin', more));
    expect(existsSync(at('elsewhere.journal'))).toBe(false);
  });
});

/** Bytes of the disk that the journal has summed on both sides of the boundary. */
async function boundary(path: string): Promise<number[]> {
  const device = await FileDevice.open(path, { write: false });
  const opened = await Journal.open(device);
  await device.close();
  if (!opened.ok) throw new Error(opened.problems[0]!.message);
  const near = opened.value.state.sums.filter(({ what }) => what === 'arrived' || what === 'to-come');
  expect(new Set(near.map(({ what }) => what)).size).toBe(2);
  return near.map(({ offset, length }) => offset + length / 2);
}

describe('a run that stops in good order', () => {
  beforeEach(() => lay('one-gpt.img'));

  it('notes what the image is like then: whatever writes to it meanwhile is found by that', async () => {
    const progress: ExecuteOptions['progress'] = async (now) => {
      if (now.phase === 'carrying out' && now.arrived >= 5 * MIB) throw new Cut();
    };
    await expect(run(disk, journal, 'begin', { progress })).rejects.toThrow(Cut);
    utimesSync(disk, new Date(), new Date(Date.now() + 5000));
    await refused('changed', [disk, journal], () => run(disk, journal, 'resume'));
    rmSync(`${journal}.left.json`);
    expect(word(await run(disk, journal, 'end'))).toBe('step 0 back');
    // The disk carries no mark after the end, so another run may begin on it.
    expect(word(await run(disk, at('next.journal'), 'begin'))).toBe('proved');
  });

  it('leaves no mark on the disk, neither at its end nor once its first step was taken back', async () => {
    await until(disk, journal, 'begin', 5 * MIB);
    expect(readFileSync(disk).includes('GTINWORK')).toBe(true);
    expect(word(await run(disk, journal, 'back'))).toBe('step 0 back');
    expect(readFileSync(disk).includes('GTINWORK')).toBe(false);
    expect(seen(disk, 1, 24)).toBe(seen(at('one-gpt.img'), 1, 24));
    expect(word(await run(disk, journal, 'resume'))).toBe('proved');
    expect(readFileSync(disk).includes('GTINWORK')).toBe(false);
  });

  it('goes on to its end where the list from before is damaged, and does not call that proved', async () => {
    await until(disk, journal, 'begin', 5 * MIB);
    writeFileSync(`${journal}.before.json`, '');
    const outcome = await run(disk, journal, 'resume');
    if (!outcome.ok || !('proof' in outcome.value)) throw new Error('no proof');
    expect(outcome.value.proof).toMatchObject({ verdict: 'differs', disk: { before: 0 } });
    expect(outcome.value.proof.differences).toEqual([
      'The list of what the disk held before is lost, so nothing can be compared with it.',
    ]);
    expect(seen(disk, 1 + SHIFT, 40)).toBe(seen(at('one-gpt.img'), 1, 24));
  });
});

describe('the command line, where something is not as it should be', () => {
  beforeEach(() => lay('one-gpt.img'));
  const routeFile = at('route.json');
  const refusal = async (said: RegExp, ...args: string[]) => {
    const lines: string[] = [];
    const write = (line: string | Uint8Array) => lines.push(String(line)) > 0;
    const spies = [process.stdout, process.stderr].map((out) =>
      vi.spyOn(out, 'write').mockImplementation(write),
    );
    const status = await main(args).finally(() => spies.forEach((spy) => spy.mockRestore()));
    expect(lines.join('')).toMatch(said);
    expect(lines.join('')).not.toMatch(/\n\s+at |node:internal/);
    expect(status).toBe(2);
  };

  it('says so in a sentence before anything is begun, with an exit code of its own', async () => {
    writeFileSync(at('empty.img'), '');
    mkdirSync(at('a folder'));
    const routes = ['--route', routeFile, '--journal', journal, '--in-place'];
    await refusal(/is empty/, '--image', at('empty.img'), ...routes);
    await refusal(/is no file/, '--image', at('a folder'), ...routes);
    await refusal(/is a device/, '--image', '/dev/null', ...routes);
    await refusal(/There is no file/, '--image', at('nowhere.img'), ...routes);
    await refusal(/There is no file/, '--image', disk, ...routes);
    writeFileSync(routeFile, '{');
    await refusal(/is no JSON/, '--image', disk, ...routes);
    const onDisk = ['--image', disk, '--route', routeFile, '--in-place'];
    await refusal(/is there already, and is no journal/, ...onDisk, '--journal', at('a folder'));
    await refusal(/There is no folder/, ...onDisk, '--journal', at('no/journal'));
    await refusal(/There is no folder/, ...onDisk, '--journal', journal, '--proof', at('no/proof.json'));
    await refusal(/is a folder/, ...onDisk, '--journal', journal, '--proof', at('a folder'));
    await refusal(
      /no journal at/,
      '--image',
      disk,
      '--in-place',
      '--journal',
      journal,
      '--resume',
      '--route',
      routeFile,
    );
    await refusal(/cannot be used with/, ...onDisk, '--journal', journal, '--resume', '--step-back');
    await refusal(/unknown option/, ...onDisk, '--images', disk);
    const run = (...args: string[]) =>
      spawnSync('node', ['scripts/carryOut.mjs', ...args], { encoding: 'utf8' });
    const [help, refused] = [run('--help'), run('--image', at('nowhere.img'), ...routes)];
    expect([help.status, help.stdout]).toEqual([0, expect.stringMatching(/Exit codes:[\s\S]*130/)]);
    expect([refused.status, refused.stderr]).toEqual([2, expect.stringMatching(/^There is no file/)]);
  }, 60_000);

  it('of a finished run there is nothing to take back, and it says so', async () => {
    expect(word(await run(disk, journal, 'begin'))).toBe('proved');
    await refusal(/is finished/, '--image', disk, '--in-place', '--journal', journal, '--step-back');
  }, 60_000);

  it('a full disk of the journal is told as that, and nothing is left there', async () => {
    const full = at('full');
    mkdirSync(full);
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=64k', 'tmpfs', full]);
    try {
      writeFileSync(routeFile, routeText(steps('gpt')));
      const before = readFileSync(disk);
      await refusal(
        /There is no room left.*Nothing was begun/s,
        '--image',
        disk,
        '--in-place',
        '--route',
        routeFile,
        '--journal',
        join(full, 'journal'),
      );
      expect(readFileSync(disk).equals(before)).toBe(true);
      expect(readdirSync(full)).toEqual([]);
    } finally {
      execFileSync('umount', [full]);
    }
  }, 60_000);
});

it('a store has a name that a run gives, and never leads elsewhere', () => {
  const names = ['partition-3', 'copy-12', '../copy-1', 'copy-1/../../x', 'partition-', 'x', ''];
  expect(names.filter(isStoreName)).toEqual(['partition-3', 'copy-12']);
});
