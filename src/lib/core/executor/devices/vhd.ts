import { viewOf } from '../../bytes';
import { failure, success, type Outcome } from '../../problem';
import type { Device, OpenedDevice } from './device';
import { DynamicVhd } from './vhd/dynamic';
import { FixedVhd } from './vhd/fixed';
import {
  footerOf,
  HEADER_AT,
  headerOf,
  roundUp,
  SECTOR,
  readSoundSector,
  TYPE,
  USUAL_BLOCK,
} from './vhd/format';

const TABLE_AT = 1536;

/**
 * The disk inside a VHD, read and written (domain facts 11). In a dynamic one a block takes room once something is
 * written into it, and a stretch of zeros gives whole blocks back.
 *
 * @param sectorSize of the disk inside; the format itself knows only 512, and what is kept for ourselves may have
 *   others
 *
 * The format ends at 2,040 GiB; what is kept for ourselves goes beyond, since only addresses within the file have 32
 * bits.
 */
export async function openVhdDevice(file: Device, sectorSize = SECTOR): Promise<Outcome<OpenedDevice>> {
  const broken = (reason: string) =>
    failure({ code: 'vhd-broken', path: '', message: `This VHD can’t be worked on: ${reason}.` });
  if (file.size < 3 * SECTOR) return broken('it is cut short');
  const footer = (await readSoundSector(file, file.size - SECTOR)) ?? (await readSoundSector(file, 0));
  if (!footer) return broken('the checksum of its footer is wrong');
  const view = viewOf(footer);
  const size = Number(view.getBigUint64(48));
  switch (view.getUint32(60)) {
    case TYPE.fixed:
      return size > file.size - SECTOR
        ? broken('it is shorter than the disk it describes')
        : success(new FixedVhd(file, size, footer));
    case TYPE.dynamic:
      return (
        (await DynamicVhd.open(file, size, footer, sectorSize)) ??
        broken('its header or its block table is impossible')
      );
    default:
      return failure({
        code: 'vhd-differencing',
        path: '',
        message: 'This VHD holds only differences to another file. Merge it with its parent first.',
      });
  }
}

/**
 * Makes a dynamic VHD in an empty file.
 *
 * @param size bytes of its disk
 * @param seed what its own identifier is made of
 */
export async function makeDynamicVhd(
  file: Device,
  size: number,
  sectorSize: number,
  seed: number,
): Promise<DynamicVhd> {
  const footer = footerOf(size, seed);
  const blocks = Math.ceil(size / USUAL_BLOCK);
  const tableBytes = roundUp(4 * blocks, SECTOR);
  const end = TABLE_AT + tableBytes;
  await file.resize(end + SECTOR);
  await file.write(0, footer);
  await file.write(HEADER_AT, headerOf(TABLE_AT, blocks));
  const filler = new Uint8Array(Math.min(2 ** 20, tableBytes)).fill(0xff);
  for (let at = 0; at < tableBytes; at += filler.length)
    await file.write(TABLE_AT + at, filler.subarray(0, Math.min(filler.length, tableBytes - at)));
  await file.write(end, footer);
  await file.flush();
  const made = await DynamicVhd.open(file, size, footer, sectorSize);
  if (!made) throw new Error('a VHD that was just made can’t be opened');
  return made.value;
}
