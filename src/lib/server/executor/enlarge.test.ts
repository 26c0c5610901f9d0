import { execFileSync, spawn } from 'node:child_process';
import { existsSync, openSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { windowsImage } from '../../../../scripts/test/windowsImage';
import { cutOut, readEverythingIn, makeFreshFolder, say } from '$core/executor/test/mounted';
import { TYPE } from '$core/disk';
import { surveyFromImage } from '$core/survey';
import { shareOf } from '$core/test/evidence';
import { openFileSource } from '$core/test/source';

const MIB = 2 ** 20;
const folder = makeFreshFolder('enlarge');
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A virtual machine's disk: Windows, and recovery behind it. */
const raw = join(folder, 'disk.img');
let windows: string;

beforeAll(() => {
  const image = windowsImage();
  execFileSync('cp', [image.path, raw]);
  windows = readEverythingIn(image.windows);
  image.remove();
}, 60_000);

const converted = (format: string, name: string, options: string[] = []): string => {
  const path = join(folder, name);
  execFileSync('qemu-img', ['convert', '-f', 'raw', '-O', format, ...options, raw, path]);
  return path;
};
const carryOut = (...args: string[]) => say('node', 'scripts/carryOut.mjs', ...args);

/** What other programs find: the places on the disk, and the files of Windows. */
async function seen(path: string, format: string) {
  const plain = join(folder, 'plain.img');
  execFileSync('qemu-img', ['convert', '-f', format, '-O', 'raw', path, plain]);
  const survey = await surveyFromImage(openFileSource(plain), {
    machineName: 'x',
    takenAt: '2026-11-27T08:00:00Z',
  });
  if (!survey.ok) throw new Error(survey.problems[0]!.message);
  const disk = survey.value.disks[0]!;
  const { first, sectors } = disk.partitions[2]!;
  const volume = cutOut(plain, first * 512, sectors * 512, join(folder, 'volume.img'));
  const files = readEverythingIn(volume);
  rmSync(plain);
  rmSync(volume);
  return { bytes: disk.sectors * 512, windows: sectors * 512, recovery: disk.partitions[3]!, files };
}

const FORMATS: [format: string, name: string, options: string[]][] = [
  ['qcow2', 'machine.qcow2', []],
  ['vhdx', 'machine.vhdx', ['-o', 'subformat=dynamic']],
  ['vmdk', 'machine.vmdk', ['-o', 'subformat=monolithicSparse']],
  ['vmdk', 'flat.vmdk', ['-o', 'subformat=monolithicFlat']],
];

describe('a virtual machine’s disk enlarged in one command', () => {
  for (const [format, name, options] of shareOf(FORMATS, 4)) {
    it(`${name}: shown first, carried out on the image itself, and read by the program that made it`, async () => {
      const path = converted(format, name, options);
      const proof = join(folder, `${name}.proof.json`);
      const said = carryOut(
        '--image',
        path,
        '--enlarge-to',
        '400 MiB',
        '--in-place',
        '--yes',
        '--proof',
        proof,
      );
      expect(said).toMatch(/^As found\n\|EFI/);
      expect(said).toMatch(
        /Enlarge disk\n[\s\S]*Relocate table\n[\s\S]*Move partition 4[\s\S]*Extend partition 3/,
      );
      expect(said).toContain('carried out, and nothing was lost');
      expect(say('qemu-img', 'check', '-f', format, path)).toMatch(/No errors|does not support checks/);
      const { bytes, windows: size, recovery, files } = await seen(path, format);
      expect(bytes).toBe(400 * MIB);
      expect([size > 270 * MIB, recovery.sectors, recovery.type]).toEqual([true, 60 * 2048, TYPE.recovery]);
      expect(files).toBe(windows);
    }, 90_000);
  }

  it('asks for a yes, and does nothing without it', () => {
    const path = converted('qcow2', 'asked.qcow2');
    const before = readFileSync(path);
    const said = execFileSync(
      'bash',
      [
        '-c',
        'echo no | node scripts/carryOut.mjs --image "$1" --enlarge-to 400M --in-place 2>&1 || true',
        'ask',
        path,
      ],
      { encoding: 'utf8' },
    );
    expect(said).toContain('Nothing was done.');
    expect(carryOut('--image', path, '--enlarge-to', '12 apples', '--yes')).toContain('is no size');
    expect(carryOut('--image', path, '--enlarge-to', '100 MiB', '--yes')).toContain('has that size already');
    expect(readFileSync(path).equals(before)).toBe(true);
    expect(existsSync(`${path}.journal`)).toBe(false);
  }, 60_000);

  it('is refused while something else has the image open', async () => {
    const path = converted('qcow2', 'open.qcow2');
    const before = readFileSync(path);
    const other = spawn('sleep', ['60'], { stdio: [openSync(path, 'r'), 'ignore', 'ignore'] });
    await new Promise((done) => other.once('spawn', done));
    const said = carryOut('--image', path, '--enlarge-to', '400M', '--in-place', '--yes');
    other.kill();
    // A VMDK in two files is never worked on through a copy of the one that only describes it.
    const flat = converted('vmdk', 'two.vmdk', ['-o', 'subformat=monolithicFlat']);
    const copied = carryOut('--image', flat, '--enlarge-to', '400M', '--yes');
    expect(copied).toContain('made of two files');
    expect(said).toMatch(/Something else has .* open: .*sleep \(process \d+\)/);
    expect(readFileSync(path).equals(before)).toBe(true);
  }, 60_000);
});
