import type { PartitionRole } from './kinds';
import type { Partition } from './types';

/** Partition type GUIDs (UEFI 2.10 table 5.7 and the operating systems' own). */
export const TYPE = {
  efi: 'C12A7328-F81F-11D2-BA4B-00A0C93EC93B',
  reserved: 'E3C9E316-0B5C-4DB8-817D-F92DF00215AE',
  basicData: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
  recovery: 'DE94BBA4-06D1-4D40-A16A-BFD50179D6AC',
  dynamicMetadata: '5808C8AA-7E8F-42E0-85D2-E1E90434CFB3',
  dynamicData: 'AF9B60A0-1431-4F62-BC68-3311714A69AD',
  storagePool: 'E75CAF8F-F680-4CEE-AFA3-B001E56EFC2D',
} as const;

const BY_TYPE: Record<string, PartitionRole> = {
  [TYPE.efi]: 'efi',
  [TYPE.reserved]: 'reserved',
  [TYPE.recovery]: 'recovery',
  '0X27': 'recovery',
  '0XEF': 'efi',
};

const DATA_TYPES = new Set(
  [TYPE.basicData, '0X07', '0X0B', '0X0C', '0X06', '0X0E', '0X04', '0X01'].map(String),
);

/** Types that say the disk is managed as a whole by something else; nothing here touches them. */
export const isPooledType = (type: string): boolean =>
  [TYPE.dynamicMetadata, TYPE.dynamicData, TYPE.storagePool, '0X42'].map(String).includes(type.toUpperCase());

export const isStoragePool = (type: string): boolean => type.toUpperCase() === TYPE.storagePool;

type Known = Pick<Partition, 'type' | 'letter' | 'active' | 'kind'>;

/** Whether its type is one of those that hold people's volumes, Windows' own among them. */
export const isDataType = (type: string): boolean => DATA_TYPES.has(type.toUpperCase());

/**
 * The role of a partition where the survey does not give it, as far as it alone tells: by its type, or by the letter
 * C:. Which volume is Windows on a machine without letters, and whether an active one is only there to start it, is
 * told by all of them together.
 */
export function guessRole({ type, kind, letter }: Known): PartitionRole {
  const byType = BY_TYPE[type.toUpperCase()];
  if (byType) return byType;
  if (kind === 'extended' || !isDataType(type)) return 'unknown';
  return letter === 'C' ? 'windows' : 'data';
}

/** The word for a role in running text. */
export const ROLE_WORD: Record<PartitionRole, string> = {
  windows: 'Windows',
  data: 'data',
  recovery: 'recovery',
  efi: 'firmware boot (EFI)',
  reserved: 'Microsoft reserved',
  system: 'system boot',
  vendor: "maker's recovery",
  unknown: 'unknown',
};
