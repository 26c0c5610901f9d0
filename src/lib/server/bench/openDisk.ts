import { latin1 } from '$core/bytes';
import { openVhdDevice, type Device } from '$core/bench';
import { success, type Outcome } from '$core/problem';
import { FileDevice } from './fileDevice';

/** A disk in a file that is worked on. Closing it gives back what was set apart and never used. */
export interface OpenDisk {
  device: Device;
  close(): Promise<void>;
}

/**
 * Opens a disk's file by what it is: VHD, fixed or dynamic, else raw. The sector size of a raw one is told by where its table
 * stands (domain facts 2).
 *
 * Problem codes: `vhd-broken`, `vhd-differencing`.
 */
export async function openDisk(path: string): Promise<Outcome<OpenDisk>> {
  const file = await FileDevice.open(path);
  const footer = file.size >= 1024 ? latin1((await file.read(file.size - 512, 512)).subarray(0, 8)) : '';
  const front = file.size >= 1024 ? latin1((await file.read(0, 512)).subarray(0, 8)) : '';
  if (footer !== 'conectix' && front !== 'conectix') {
    const sectorSize = await sectorSizeOf(file);
    if (sectorSize === 512) return success({ device: file, close: () => file.close() });
    await file.close();
    const other = await FileDevice.open(path, { sectorSize });
    return success({ device: other, close: () => other.close() });
  }
  const vhd = await openVhdDevice(file);
  if (!vhd.ok) {
    await file.close();
    return vhd;
  }
  const close = async () => {
    await vhd.value.close();
    await file.close();
  };
  return success({ device: vhd.value, close });
}

async function sectorSizeOf(file: FileDevice): Promise<512 | 4096> {
  if (file.size < 3 * 4096) return 512;
  const isHeader = async (at: number) => latin1((await file.read(at, 512)).subarray(0, 8)) === 'EFI PART';
  return !(await isHeader(512)) && (await isHeader(4096)) ? 4096 : 512;
}
