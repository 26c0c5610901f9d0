import { existsSync } from 'node:fs';
import { mkdir, readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { makeDynamicVhd, openVhdDevice } from '$core/executor';
import { makeStandIn } from '$core/executor/standIn/standIn';
import type { Disk } from '$core/disk';
import { success, type Outcome } from '$core/problem';
import { FileDevice } from '../../executor/fileDevice';
import { writeDurably } from '../../platform/durable';
import type { RunContext, RehearsalInput } from './rehearsing';
import type { RunReporter } from './runReporter';

/** Makes the stand-in of a disk in a folder where there is none yet, and opens it. Problem codes: those of a VHD. */
export async function openStandIn(
  folder: string,
  disk: Disk,
  what: RehearsalInput,
  told: RunReporter,
): Promise<Outcome<RunContext>> {
  await mkdir(folder, { recursive: true });
  const [path, made] = [join(folder, 'disk.vhd'), join(folder, 'made.json')];
  if (!existsSync(made)) {
    // A stand-in that was cut short is made anew, and so is whatever was begun on it.
    for (const name of await readdir(folder)) await rm(join(folder, name), { recursive: true });
    const files = await makeDisk(path, disk, what, told);
    await writeDurably(made, JSON.stringify({ files }), { over: true });
  }
  const { files } = JSON.parse(await readFile(made, 'utf8')) as { files: number };
  told.files = files;

  const file = await FileDevice.open(path);
  const vhd = await openVhdDevice(file, disk.sectorSize);
  if (!vhd.ok) {
    await file.close();
    return vhd;
  }
  // Not closed but left: a VHD that is stopped dead is found as the power cut leaves it.
  return success({
    device: told.paced(vhd.value, disk),
    files: [path],
    serial: vhd.value.serial ?? null,
    leave: () => file.close(),
  });
}

async function makeDisk(path: string, disk: Disk, what: RehearsalInput, told: RunReporter): Promise<number> {
  const file = await FileDevice.open(path, { create: true });
  try {
    const device = await makeDynamicVhd(file, disk.sectors * disk.sectorSize, disk.sectorSize, what.seed);
    const source = what.survey.disks.find((one) => one.number === disk.number)!;
    const files = await makeStandIn(device, disk, {
      seed: what.seed,
      steps: what.steps,
      table: {
        backupHeader: source.backupHeader ?? null,
        entries: source.entries ?? null,
        entrySize: source.entrySize ?? null,
      },
      time: Date.parse(what.survey.takenAt),
      progress: (made, of) => told.made(made, of),
    });
    await device.close();
    return files;
  } finally {
    await file.close();
  }
}
