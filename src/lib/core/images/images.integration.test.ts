import { execFileSync } from 'node:child_process';
import { copyFileSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CLINIC_VOLUMES, makeImage, type MadeImage } from '../../../../scripts/test/image';
import { surveyFromImage, type SurveyDocument } from '../survey';
import { openFileSource } from '../test/source';
import { openImage } from './open';
import { makeBytesSource } from './source';

const MIB = 2 ** 20;
const qemuImg = (...args: string[]) => execFileSync('qemu-img', args, { stdio: 'pipe' });

let image: MadeImage;
let raw: SurveyDocument;
beforeAll(async () => {
  image = makeImage(CLINIC_VOLUMES);
  raw = await surveyed(image.path);
});
afterAll(() => image.remove());

/** Reads an image, with the files beside it where `together`. */
const outcomeOf = (path: string, together = false) =>
  surveyFromImage(openFileSource(path), {
    machineName: 'made up',
    takenAt: '2026-11-20T09:30:00Z',
    ...(together
      ? {
          beside: (name: string) =>
            readdirSync(dirname(path)).includes(name) ? openFileSource(join(dirname(path), name)) : null,
        }
      : {}),
  });
async function surveyed(path: string, together = false): Promise<SurveyDocument> {
  const outcome = await outcomeOf(path, together);
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
}
async function refused(path: string, together = false): Promise<string> {
  const outcome = await outcomeOf(path, together);
  return outcome.ok ? 'read' : `${outcome.problems[0]!.code}: ${outcome.problems[0]!.message}`;
}
const converted = (name: string, ...args: string[]): string => {
  const path = join(dirname(image.path), name);
  qemuImg('convert', '-f', 'raw', ...args, image.path, path);
  return path;
};

describe('the same disk, written by qemu-img', () => {
  it.each([
    ['qcow2, version 3', 'qcow2', 'compat=1.1', 'qcow2'],
    ['qcow2, version 2', 'qcow2', 'compat=0.10', 'qcow2'],
    ['qcow2, clusters of 512 bytes', 'qcow2', 'cluster_size=512', 'qcow2'],
    ['qcow2, clusters of 2 MiB', 'qcow2', 'cluster_size=2M', 'qcow2'],
    ['qcow2, reserved in advance', 'qcow2', 'preallocation=metadata', 'qcow2'],
    ['qcow2, lazily counted', 'qcow2', 'compat=1.1,lazy_refcounts=on', 'qcow2'],
    ['VMDK, monolithic sparse', 'vmdk', 'subformat=monolithicSparse', 'VMDK'],
    ['VMDK, monolithic flat', 'vmdk', 'subformat=monolithicFlat', 'VMDK'],
    ['VMDK, divided and sparse', 'vmdk', 'subformat=twoGbMaxExtentSparse', 'VMDK'],
    ['VMDK, divided and flat', 'vmdk', 'subformat=twoGbMaxExtentFlat', 'VMDK'],
  ])('%s, reads like the raw one', async (_, format, options, called) => {
    const path = converted('disk.'.concat(format), '-O', format, '-o', options);
    const survey = await surveyed(path, true);
    expect(survey.disks[0]!.model).toBe(`disk image (${called})`);
    expect(survey.disks[0]!.partitions).toEqual(raw.disks[0]!.partitions);
  });

  it.each(['compat=1.1', 'compat=0.10', 'cluster_size=4k'])(
    'qcow2, compressed (%s), reads like the raw one',
    async (options) => {
      const path = converted('packed.qcow2', '-c', '-O', 'qcow2', '-o', options);
      expect((await surveyed(path)).disks[0]!.partitions).toEqual(raw.disks[0]!.partitions);
    },
  );

  it('every byte of it, wherever it is asked for', async () => {
    for (const [format, options] of [
      ['qcow2', 'cluster_size=4k'],
      ['vmdk', 'subformat=monolithicSparse'],
    ] as const) {
      const path = converted(`bytes.${format}`, '-O', format, '-o', options);
      const disk = await openImage(openFileSource(path));
      if (!disk.ok) throw new Error(disk.problems[0]!.message);
      const bytes = readFileSync(image.path);
      expect(disk.value.source.size).toBe(bytes.length);
      for (let at = 0; at < bytes.length; at += 7 * MIB + 123) {
        const length = Math.min(3 * MIB + 77, bytes.length - at);
        const read = await disk.value.source.read(at, length);
        expect(Buffer.compare(read, bytes.subarray(at, at + length)), `${format} at ${at}`).toBe(0);
      }
    }
  });

  it('a flat VMDK’s own bytes are an image without their description', async () => {
    const path = converted('flat.vmdk', '-O', 'vmdk', '-o', 'subformat=monolithicFlat');
    const survey = await surveyed(path.replace('.vmdk', '-flat.vmdk'));
    expect(survey.disks[0]!.partitions).toEqual(raw.disks[0]!.partitions);
  });
});

describe('what is refused, by name', () => {
  const create = (name: string, ...args: string[]): string => {
    const path = join(dirname(image.path), name);
    qemuImg('create', '-q', ...args, path, ...(args.includes('-b') ? [] : ['64M']));
    return path;
  };

  it('a qcow2 with a backing file', async () => {
    const path = create('child.qcow2', '-f', 'qcow2', '-b', image.path, '-F', 'raw');
    expect(await refused(path)).toMatch(/^qcow2-backing: .*differences to a backing file/);
  });

  it('a qcow2 with snapshots', async () => {
    const path = converted('snapshots.qcow2', '-O', 'qcow2');
    qemuImg('snapshot', '-c', 'before', path);
    expect(await refused(path)).toMatch(/^qcow2-snapshots: .*holds a snapshot/);
    qemuImg('snapshot', '-c', 'after', path);
    expect(await refused(path)).toContain('2 snapshots');
  });

  it('an encrypted qcow2', async () => {
    const path = create(
      'secret.qcow2',
      '--object',
      'secret,id=made-up,data=tide',
      '-f',
      'qcow2',
      '-o',
      'encrypt.format=luks,encrypt.key-secret=made-up,encrypt.iter-time=10',
    );
    expect(await refused(path)).toMatch(/^qcow2-encrypted: /);
  });

  it.each([
    ['subclusters', 'extended_l2=on,cluster_size=128k', /subclusters/],
    ['data in another file', 'data_file=DATA,data_file_raw=on', /keeps its data in another file/],
    ['packing with zstd', 'compression_type=zstd', /zstd/],
  ])('a qcow2 with %s', async (_, options, says) => {
    const data = join(dirname(image.path), 'data.raw');
    writeFileSync(data, '');
    const path = create('feature.qcow2', '-f', 'qcow2', '-o', options.replace('DATA', data));
    expect(await refused(path)).toMatch(/^qcow2-feature: /);
    expect(await refused(path)).toMatch(says);
  });

  it('a VMDK that is a snapshot of another', async () => {
    const base = converted('base.vmdk', '-O', 'vmdk', '-o', 'subformat=monolithicSparse');
    const path = create('delta.vmdk', '-f', 'vmdk', '-b', base, '-F', 'vmdk');
    expect(await refused(path, true)).toMatch(/^vmdk-parent: .*snapshot/);
  });

  it('a VMDK packed for sending', async () => {
    const path = converted('packed.vmdk', '-O', 'vmdk', '-o', 'subformat=streamOptimized');
    expect(await refused(path)).toMatch(/^vmdk-kind: .*streamOptimized/);
  });

  it('an encrypted VMDK, by its description', async () => {
    const path = converted('plain.vmdk', '-O', 'vmdk', '-o', 'subformat=monolithicFlat');
    writeFileSync(path, `${readFileSync(path, 'utf8')}\nencryption.keySafe = "made up"\n`);
    expect(await refused(path, true)).toMatch(/^vmdk-encrypted: /);
  });

  it('a VMDK’s description alone, with the names of what belongs to it', async () => {
    const path = converted('alone.vmdk', '-O', 'vmdk', '-o', 'subformat=monolithicFlat');
    expect(await refused(path)).toMatch(/^vmdk-pieces: .*“alone-flat\.vmdk”/);
  });

  it('one piece of a divided VMDK', async () => {
    converted('divided.vmdk', '-O', 'vmdk', '-o', 'subformat=twoGbMaxExtentSparse');
    const piece = join(dirname(image.path), 'divided-s001.vmdk');
    expect(await refused(piece)).toMatch(/^vmdk-pieces: .*one piece/);
  });

  it('names in a description are names: a path leads nowhere', async () => {
    const path = join(dirname(image.path), 'path.vmdk');
    const secret = '/etc/hostname';
    writeFileSync(
      path,
      `# Disk DescriptorFile\nversion=1\nparentCID=ffffffff\ncreateType="monolithicFlat"\nRW 8 FLAT "../../..${secret}" 0\n`,
    );
    const asked: string[] = [];
    const outcome = await surveyFromImage(openFileSource(path), {
      machineName: 'made up',
      takenAt: '2026-11-20T09:30:00Z',
      beside: (name) => (asked.push(name), null),
    });
    expect(outcome.ok).toBe(false);
    expect(asked).toEqual([basename(secret)]);
  });
});

describe('files that are cut short or damaged', () => {
  it.each([
    ['qcow2', 'compat=1.1'],
    ['vmdk', 'subformat=monolithicSparse'],
    ['vhdx', 'subformat=dynamic'],
    ['vpc', 'subformat=dynamic,force_size=on'],
  ])('%s: told as such, and nothing is read', async (format, options) => {
    const path = converted(`cut.${format}`, '-O', format, '-o', options);
    const whole = new Uint8Array(readFileSync(path));
    const cut = makeBytesSource(whole.subarray(0, Math.floor(whole.length / 3)));
    const outcome = await surveyFromImage(cut, { machineName: 'x', takenAt: '2026-11-20T09:30:00Z' });
    expect(outcome.ok ? 'read' : outcome.problems[0]!.message).toMatch(/cut short|beyond/);
  });

  it('a qcow2 of which a compressed cluster is damaged', async () => {
    const path = converted('damaged.qcow2', '-c', '-O', 'qcow2');
    const copy = join(dirname(path), 'damaged-copy.qcow2');
    copyFileSync(path, copy);
    const bytes = readFileSync(copy);
    // What qemu-img packed first lies behind its tables: the sectors of the partition table.
    const packed = 5 * 65536;
    bytes.fill(0xff, packed, packed + 4096);
    writeFileSync(copy, bytes);
    expect(await refused(copy)).toMatch(/^truncated: .*can’t be unpacked/);
    rmSync(copy);
  });
});
