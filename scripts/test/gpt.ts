import type { GptEntry, GptTable } from '$core/tables';

export const testId = (number: number): string =>
  `47540000-0000-4000-8000-${String(number).padStart(12, '0')}`;

/** A GPT of a disk of so many sectors. What its arrays leave is worked out here as UEFI 2.10 says it, 5.3.1. */
export function testGpt(
  sectorSize: number,
  sectors: number,
  entries: GptEntry[],
  { entryCount = 128, entrySize = 128 } = {},
): GptTable {
  const array = Math.max(16 * 1024, entryCount * entrySize) / sectorSize;
  return {
    sectorSize,
    sectors,
    diskId: '47540000-0000-4000-8000-00000000D15C',
    firstUsable: 2 + array,
    lastUsable: sectors - 2 - array,
    backupHeader: sectors - 1,
    entryCount,
    entrySize,
    entries,
  };
}
