import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { TYPE } from '$core/disk';
import { makeImage, type MadeImage } from './image';

/** The place of Windows among the image's volumes. */
const WINDOWS = 2;

/**
 * A virtual machine's disk as its own programs made it: Windows, and recovery behind it.
 *
 * @param files how many Windows has in one folder, each 300 bytes longer than the one before
 * @param recovery its size in MiB; half of it is in use
 * @param gap MiB of unallocated space behind
 */
export function windowsImage({ files = 300, recovery = 60, gap = 0 } = {}): MadeImage & { windows: string } {
  const image = makeImage(
    [
      { name: 'EFI', type: TYPE.efi, size: 40, make: 'fat32', label: 'EFI' },
      { name: '', type: TYPE.reserved, size: 16, make: 'none' },
      {
        name: 'Basic data partition',
        type: TYPE.basicData,
        size: 120,
        make: 'ntfs',
        label: 'Windows',
        inside(into) {
          mkdirSync(join(into, 'Windows', 'System32', 'config'), { recursive: true });
          writeFileSync(join(into, 'Windows', 'System32', 'ntoskrnl.exe'), Buffer.alloc(90_000, 9));
          for (let i = 0; i < files; i++)
            writeFileSync(join(into, 'Windows', 'System32', `part ${i}.dll`), Buffer.alloc(i * 300, i));
        },
      },
      {
        name: 'Recovery',
        type: TYPE.recovery,
        size: recovery,
        make: 'ntfs',
        label: 'Recovery',
        files: [recovery * 500_000],
      },
    ],
    { gap },
  );
  return { ...image, windows: image.volumes[WINDOWS]!.path };
}
