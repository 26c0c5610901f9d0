import type { FileSystem } from './kinds';
import { TYPE } from './roles';

/** Names of partition types (UEFI 2.10 and the operating systems' own; MBR type bytes). */
const NAMES: Record<string, string> = {
  [TYPE.efi]: 'EFI system',
  [TYPE.reserved]: 'Microsoft reserved',
  [TYPE.basicData]: 'basic data',
  [TYPE.recovery]: 'Windows recovery',
  [TYPE.dynamicMetadata]: 'dynamic metadata',
  [TYPE.dynamicData]: 'dynamic data',
  [TYPE.storagePool]: 'storage-pool member',
  '0FC63DAF-8483-4772-8E79-3D69D8477DE4': 'Linux file system',
  '0657FD6D-A4AB-43C4-84E5-0933C84B4F4F': 'Linux swap',
  '0X05': 'extended',
  '0X07': 'NTFS or exFAT',
  '0X0B': 'FAT32',
  '0X0C': 'FAT32',
  '0X0F': 'extended',
  '0X27': 'hidden recovery',
  '0X42': 'dynamic',
  '0X83': 'Linux file system',
  '0XEF': 'EFI system',
};

/** A partition type in words; one that is not known here is called by its own figures. */
export function typeName(type: string): string {
  const known = NAMES[type.toUpperCase()];
  if (type.startsWith('0x')) return known ? `${type} ${known}` : type;
  return known ?? `type ${type.slice(0, 8)}…`;
}

/** Name of a file system in a sentence. */
export const FILE_SYSTEM_NAME: Record<FileSystem, string> = {
  ntfs: 'NTFS',
  refs: 'ReFS',
  fat32: 'FAT32',
  fat16: 'FAT16',
  exfat: 'exFAT',
  encrypted: 'encrypted',
  unknown: 'unknown',
};
