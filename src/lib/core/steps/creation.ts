import type { Creation } from './step';
import { describeAttributes, contains, typeName, type Disk, type Extent, type Partition } from '../disk';
import { formatSize } from '../units';

/** Properties that a partition has to be made with to be like this one. */
export const creationOf = ({ type, attributes, name, volume }: Partition): Creation => ({
  type,
  attributes,
  name,
  fileSystem: volume?.fileSystem ?? 'unknown',
  clusterSize: volume?.clusterSize ?? 0,
  label: volume?.label ?? '',
});

/** A partition as it is right after it was made: empty, and without a letter that lasts. */
export function makePartition(
  disk: Disk,
  {
    partition: number,
    id,
    to,
    create,
  }: { partition: number; id: string | null; to: Extent; create: Creation },
): Partition {
  const frame = disk.partitions.find((one) => one.kind === 'extended');
  const { type, attributes, name, fileSystem, label, clusterSize } = create;
  return {
    ...to,
    number,
    type,
    id,
    attributes,
    unreadAttributes: '0x0000000000000000',
    name,
    kind: frame && contains(frame, to) ? 'logical' : 'primary',
    active: false,
    letter: null,
    role: 'data',
    volume: {
      fileSystem,
      label,
      clusterSize,
      size: to.sectors * disk.sectorSize,
      used: 0,
      smallestRunning: null,
      smallestOffline: null,
      lastUsed: null,
      lastImmovable: null,
      immovableFile: null,
      clusterMap: null,
      dirty: false,
      bootSectorDamaged: false,
      encryption: { state: 'off', percent: 0, usedOnly: true },
    },
  };
}

/** Properties that a partition must be made with, to be typed or compared. */
export const listCreationValues = (disk: Disk, create: Creation): { label: string; text: string }[] => [
  { label: 'Type', text: `${create.type} (${typeName(create.type)})` },
  ...(disk.table === 'gpt' ? [{ label: 'Attributes', text: describeAttributes(create) }] : []),
  ...(create.name ? [{ label: 'Name in the table', text: create.name }] : []),
  { label: 'File system', text: create.fileSystem.toUpperCase() },
  ...(create.clusterSize > 0 ? [{ label: 'Cluster size', text: formatSize(create.clusterSize) }] : []),
  ...(create.label ? [{ label: 'Label', text: create.label }] : []),
];
