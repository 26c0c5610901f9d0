import { latin1 } from '../bytes';
import type { ByteSource } from '../images/source';

/**
 * File systems and containers that are known by name here, and not read: a mark at a byte offset (their own headers).
 */
const MARKS: readonly { name: string; at: number; mark: string }[] = [
  { name: 'ext2, ext3 or ext4', at: 0x438, mark: '\x53\xef' },
  { name: 'XFS', at: 0, mark: 'XFSB' },
  { name: 'Btrfs', at: 0x10040, mark: '_BHRfS_M' },
  { name: 'LUKS encryption', at: 0, mark: 'LUKS\xba\xbe' },
  { name: 'a Linux swap area', at: 4086, mark: 'SWAPSPACE2' },
  { name: 'an LVM volume', at: 512, mark: 'LABELONE' },
  { name: 'HFS+', at: 1024, mark: 'H+' },
  { name: 'HFS+', at: 1024, mark: 'HX' },
  { name: 'APFS', at: 32, mark: 'NXSB' },
  { name: 'an ISO 9660 file system', at: 32769, mark: 'CD001' },
  { name: 'SquashFS', at: 0, mark: 'hsqs' },
];

/** Name of a file system that is here and is not read; null: none that is known. */
export async function recogniseForeign(source: ByteSource): Promise<string | null> {
  for (const { name, at, mark } of MARKS) {
    if (at + mark.length > source.size) continue;
    const bytes = await source.read(at, mark.length);
    if (latin1(bytes) === mark) return name;
  }
  return null;
}
