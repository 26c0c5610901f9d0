import { shareOf } from '../../test/evidence';
import { execFileSync } from 'node:child_process';
import { rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { FileDevice } from '../../../server/executor/fileDevice';
import { newHash } from '../../../server/executor/hashAside';
import { DEMO_JOBS } from '../../../server/demo/machines';
import { machineOf, surveyFromImage, type SurveyDocument } from '../../survey';
import { openFileSource } from '../../test/source';
import { diskSpec, surveyWith } from '../../survey/sketch';
import { MIB } from '../../units';
import { checkNtfs } from '../test/checkNtfs';
import type { Device } from '../devices/device';
import { MemoryDevice } from '../devices/memory';
import { makeDynamicVhd, openVhdDevice } from '../devices/vhd';
import { cutOut, makeFreshFolder, say } from '../test/mounted';
import { slice } from '../../images/source';
import { makeStandIn } from './standIn';

const folder = makeFreshFolder('stand-in');
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const TIME = Date.parse('2026-11-02T08:00:00Z');

const facts = (survey: SurveyDocument) => {
  const { backupHeader, entries, entrySize } = survey.disks[0]!;
  return { backupHeader: backupHeader ?? null, entries: entries ?? null, entrySize: entrySize ?? null };
};

async function standInOf(survey: SurveyDocument, name: string) {
  const path = join(folder, name);
  const disk = machineOf(survey).disks[0]!;
  const file = await FileDevice.open(path, { create: true });
  const device = await makeDynamicVhd(file, disk.sectors * disk.sectorSize, disk.sectorSize, 1);
  const files = await makeStandIn(device, disk, { seed: 2613, steps: [], table: facts(survey), time: TIME });
  await device.close();
  await file.close();
  return { path, disk, files };
}

const realRoom = (path: string): number => statSync(path).blocks * 512;

/** What a survey of the stand-in must tell as the survey of the machine did. */
const told = (survey: SurveyDocument) =>
  survey.disks[0]!.partitions.map(({ number, first, sectors, type, id, volume }) => ({
    number,
    first,
    sectors,
    type,
    id: id?.toUpperCase(),
    ...(volume && volume.fileSystem !== 'encrypted' && volume.encryption?.state !== 'on'
      ? { fileSystem: volume.fileSystem, clusterSize: volume.clusterSize, used: volume.used }
      : {}),
  }));

describe('a stand-in of each demo job', () => {
  for (const { number, survey } of shareOf(DEMO_JOBS, 8)) {
    it(`${number}: the same table, places and use, in volumes that other programs open`, async () => {
      const { path, disk } = await standInOf(survey, `${number}.vhd`);
      expect(realRoom(path)).toBeLessThan(512 * MIB);
      const again = await surveyFromImage(openFileSource(path), {
        machineName: 'test',
        takenAt: '2026-11-20T09:30:00Z',
      });
      if (!again.ok) throw new Error(again.problems[0]!.message);
      const [is, should] = [told(again.value), told(survey)];
      for (const [i, one] of should.entries()) {
        // FAT counts what lies before its clusters as well, and clusters are whole: as near as that.
        const near = one.used == null ? null : Math.abs((is[i]!.used ?? 0) - one.used) < 128 * 1024;
        const seen = { ...is[i]! };
        if (one.fileSystem === undefined) delete seen.fileSystem;
        expect({ ...seen, used: near, clusterSize: 0, id: is[i]!.id && one.id }).toEqual({
          ...one,
          used: near === null ? null : true,
          clusterSize: 0,
        });
      }
      const file = await FileDevice.open(path, { write: false });
      const device = await openVhdDevice(file);
      if (!device.ok) throw new Error('no VHD');
      for (const one of disk.partitions) {
        const size = one.sectors * disk.sectorSize;
        const kind = one.volume?.encryption.state === 'off' ? one.volume.fileSystem : null;
        if (kind === 'ntfs')
          expect(await checkNtfs(slice(device.value, one.first * disk.sectorSize, size))).toEqual([]);
        if (kind === 'ntfs' && size < 2 * 2 ** 40)
          opened(await volumeOf(device.value, one.first * disk.sectorSize, size));
        if (kind === 'fat32')
          expect(
            say('fsck.fat', '-n', await volumeOf(device.value, one.first * disk.sectorSize, size)),
          ).not.toMatch(/exit|Dirty|differ/);
        rmSync(join(folder, 'volume.img'), { force: true });
      }
      await file.close();
    }, 90_000);
  }

  it('is the same every time, from the same seed', async () => {
    const { survey } = DEMO_JOBS.find(({ number }) => number === 2613)!;
    const disk = machineOf(survey).disks[0]!;
    const made = async (seed: number): Promise<string> => {
      const device = new MemoryDevice(disk.sectors * disk.sectorSize);
      await makeStandIn(device, disk, { seed, steps: [], table: facts(survey), time: TIME });
      const hash = newHash();
      for (const { offset, length } of await device.stretches(0, device.size)) {
        hash.update(new TextEncoder().encode(`${offset} `));
        hash.update(await device.read(offset, length));
      }
      return hash.digest();
    };
    const first = await made(7);
    expect(await made(7)).toBe(first);
    expect(await made(8)).not.toBe(first);
  }, 30_000);
});

/** A volume as a file of its own, with only what it holds. */
async function volumeOf(disk: Device, at: number, size: number): Promise<string> {
  const path = join(folder, 'volume.img');
  const file = await FileDevice.open(path, { create: true });
  await file.resize(size);
  for (const { offset, length } of await disk.stretches(at, size))
    await file.write(offset - at, await disk.read(offset, length));
  await file.close();
  return path;
}

/** A general-purpose driver mounts it and reads every small file, and the ends of the large ones. */
function opened(volume: string): void {
  expect(say('ntfsfix', '--no-action', volume)).toContain('was processed successfully');
  const mounted = join(folder, 'mounted');
  const read = say(
    'bash',
    '-c',
    `mkdir -p ${mounted} && ntfs-3g -o ro,streams_interface=windows ${volume} ${mounted} && cd ${mounted} &&
     find . -type f -size -2M -print0 | xargs -0 -r cat | wc -c &&
     find . -type f -size +2M -print0 | while IFS= read -r -d '' one; do head -c 4096 "$one"; tail -c 4096 "$one"; done | wc -c
     cd / && umount ${mounted}`,
  );
  expect(read).not.toMatch(/exit|rror/);
}

describe('odd disks as stand-ins', () => {
  const odd: Record<string, () => SurveyDocument> = {
    'exFAT, FAT16, unknown, an empty and a nearly full volume': () =>
      surveyWith(
        diskSpec({ size: 200 * 1024, seed: 5 }, [
          { role: 'data', size: 300, used: 40, fileSystem: 'fat16' },
          { role: 'data', size: 20 * 1024, used: 9 * 1024, fileSystem: 'exfat', label: 'Idents' },
          { role: 'data', size: 4096, used: 4096, fileSystem: 'unknown' },
          { role: 'windows', size: 60 * 1024, used: 60 * 1024 - 40, letter: 'C' },
          { role: 'data', size: 512, used: 8 },
        ]),
      ),
    'a disk of 4 TiB with sectors of 4,096 bytes': () =>
      surveyWith(
        diskSpec({ size: 4 * 1024 * 1024, sectorSize: 4096, seed: 6 }, [
          { role: 'efi', size: 300, used: 40, fileSystem: 'fat32' },
          { role: 'windows', size: 500 * 1024, used: 471 * 1024, letter: 'C' },
          { role: 'data', size: 3_000_000, used: 1_200_000, letter: 'D' },
        ]),
      ),
  };
  for (const [name, survey] of shareOf(Object.entries(odd), 2)) {
    it(
      name,
      async () => {
        const { path, disk } = await standInOf(survey(), 'odd.vhd');
        expect(realRoom(path)).toBeLessThan(512 * MIB);
        const file = await FileDevice.open(path);
        const opened = await openVhdDevice(file);
        if (!opened.ok) throw new Error('no VHD');
        for (const one of disk.partitions) {
          if (one.volume?.fileSystem !== 'ntfs') continue;
          expect(
            await checkNtfs(slice(opened.value, one.first * disk.sectorSize, one.sectors * disk.sectorSize)),
          ).toEqual([]);
        }
        const exfat = disk.partitions.find(({ volume }) => volume?.fileSystem === 'exfat');
        if (exfat) {
          const raw = join(folder, 'odd.img');
          execFileSync('qemu-img', ['convert', '-f', 'vpc', '-O', 'raw', path, raw]);
          const volume = cutOut(raw, exfat.first * 512, exfat.sectors * 512, join(folder, 'exfat.img'));
          expect(say('fsck.exfat', '-n', volume)).toMatch(/clean/);
          rmSync(raw);
          rmSync(volume);
        }
        await file.close();
        rmSync(path);
      },
      60_000,
    );
  }
});
