import { Type, type Static, type TProperties, type TSchemaOptions } from 'typebox';
import {
  BOOT_SECTORS,
  ENCRYPTION_STATES,
  FILE_SYSTEMS,
  MEDIA,
  PARTITION_KINDS,
  PROTECTIVE_RECORDS,
  ROLES,
  TABLE_KINDS,
} from '../disk';
import { Bytes, maybe, Sector } from '../shapes';

/**
 * The survey document, version 1, as it travels (contract). Optional fields may be absent or null. Sizes in bytes,
 * positions in sectors, disks counted from 0. Each shape is the type and the JSON Schema in one.
 */
/** Address of the schema; other documents that hold a survey refer to it. */
export const SURVEY_SCHEMA = '/schemas/survey.json';

/** An object of the survey: unknown fields are kept, but nothing that is no survey any more. */
const open = <P extends TProperties>(properties: P, more: TSchemaOptions = {}) =>
  Type.Object(properties, { maxProperties: 100, ...more });
const text = (maxLength: number) => Type.String({ maxLength });
const BITS_64 = Type.String({ pattern: '^0[xX][0-9A-Fa-f]{1,16}$' });
const GUID = { type: 'string', pattern: '^[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}$' };
const MAX_CLUSTERS = 2 ** 32 - 1;
const MAX_SECTORS = 2 ** 44;
const ENTRY_SIZES = [128, 256, 512, 1024, 2048, 4096];
/** Most notes of a survey, and characters of one. */
export const MAX_NOTES = 200;
export const MAX_NOTE = 1000;

const VolumeShape = open({
  fileSystem: Type.Enum(FILE_SYSTEMS),
  label: maybe(text(200)),
  clusterSize: maybe(Type.Integer({ minimum: 0, maximum: 2 ** 25 })),
  size: Bytes,
  used: maybe(Bytes),
  /** The smallest size that Windows itself offers while it runs. */
  smallestRunning: maybe(Bytes),
  /** The smallest size that was read while it does not run. */
  smallestOffline: maybe(Bytes),
  /**
   * Bytes to the end of the last used cluster (from a cluster map). Windows moves ordinary files, so it does not stop
   * there.
   */
  lastUsed: maybe(Bytes),
  /**
   * Bytes to the end of the last cluster that Windows does not move while it runs: page file, `$MFT`, shadow copies.
   */
  lastImmovable: maybe(Bytes),
  /** The file that this cluster belongs to, by its path in the volume. */
  immovableFile: maybe(text(300)),
  /** Counts of the used clusters, in equal runs from the volume's start. */
  clusterMap: maybe(
    open({
      clustersPerBucket: Type.Integer({ minimum: 1, maximum: MAX_CLUSTERS }),
      used: Type.Array(Type.Integer({ minimum: 0, maximum: MAX_CLUSTERS }), {
        minItems: 1,
        maxItems: 2048,
      }),
    }),
  ),
  /** Mark of a volume that was not taken down cleanly; nothing may change it before it is checked. */
  dirty: maybe(Type.Boolean()),
  /** The boot sector is damaged; the figures come by way of its sound backup. Absent: it is sound. */
  bootSector: maybe(Type.Enum(BOOT_SECTORS)),
  encryption: maybe(
    open({
      state: Type.Enum(ENCRYPTION_STATES),
      percent: maybe(Type.Number({ minimum: 0, maximum: 100 })),
      /** Only clusters in use were encrypted. */
      usedOnly: maybe(Type.Boolean()),
    }),
  ),
});

const PartitionShape = open({
  number: Type.Integer({ minimum: 0, maximum: 65_535 }),
  first: Sector,
  sectors: Type.Integer({ minimum: 1, maximum: Number.MAX_SAFE_INTEGER }),
  /** GUID on GPT; 0x and two digits on MBR. */
  type: text(64),
  id: maybe(text(64)),
  /** The 64 attribute bits of GPT. */
  attributes: maybe(BITS_64),
  /** Bits that could not be read; what `attributes` says of them is what is usual. None where absent. */
  unreadAttributes: maybe(BITS_64),
  name: maybe(text(200)),
  kind: maybe(Type.Enum(PARTITION_KINDS)),
  active: maybe(Type.Boolean()),
  letter: maybe(Type.String({ pattern: '^[A-Za-z]$' })),
  /** Role; told by type and place where it is not said. */
  role: maybe(Type.Enum(ROLES)),
  volume: maybe(VolumeShape),
});

const FIELDS = open({
  number: Type.Integer({ minimum: 0, maximum: 255 }),
  model: maybe(text(200)),
  serial: maybe(text(200)),
  media: Type.Enum(MEDIA),
  sectorSize: Type.Unsafe<number>({ enum: [512, 4096] }),
  sectors: Type.Integer({ minimum: 68, maximum: MAX_SECTORS }),
  table: Type.Enum(TABLE_KINDS),
  id: maybe(text(64)),
  backupHeader: maybe(Type.Integer({ minimum: 1, maximum: MAX_SECTORS })),
  firstUsable: maybe(Type.Integer({ minimum: 1, maximum: MAX_SECTORS })),
  lastUsable: maybe(Type.Integer({ minimum: 1, maximum: MAX_SECTORS })),
  /** Entry array of a GPT: how many entries, and bytes of each (UEFI 2.10, 5.3.2). */
  entries: maybe(Type.Integer({ minimum: 1, maximum: 65_536 })),
  entrySize: maybe(Type.Unsafe<number>({ enum: ENTRY_SIZES })),
  /** Fault of sector 0: no protective record beside a GPT, or a hybrid one. Absent: none. */
  protectiveRecord: maybe(Type.Enum(PROTECTIVE_RECORDS)),
  dynamic: maybe(Type.Boolean()),
  partitions: Type.Array(PartitionShape, { maxItems: 1024 }),
});

/** Demands of the table on each of its partitions. */
const ofTable = (properties: object) => ({ properties: { partitions: { items: { properties } } } });
const DiskShape = Type.Unsafe<Static<typeof FIELDS>>({
  ...FIELDS,
  if: { properties: { table: { const: 'gpt' } } },
  then: ofTable({ type: GUID, id: { anyOf: [{ type: 'null' }, GUID] }, kind: { enum: ['primary', null] } }),
  else: ofTable({ type: { pattern: '^0[xX][0-9A-Fa-f]{2}$' } }),
});

const MachineShape = open({
  name: Type.String({ minLength: 1, maxLength: 200 }),
  firmware: Type.Enum(['uefi', 'bios']),
  recoveryEnvironment: maybe(
    open({
      enabled: Type.Boolean(),
      disk: maybe(Type.Integer({ minimum: 0, maximum: 65_535 })),
      partition: maybe(Type.Integer({ minimum: 0, maximum: 65_535 })),
    }),
  ),
  onBattery: maybe(Type.Boolean()),
  /** The setting: hibernation or fast start is on. */
  hibernation: maybe(Type.Boolean()),
  /** This very moment; only that blocks. */
  hibernated: maybe(Type.Boolean()),
});

export const SurveyShape = open(
  {
    format: Type.Literal('gentle-tide/survey'),
    version: Type.Literal(1),
    /** RFC 3339, UTC. */
    takenAt: Type.String({ format: 'date-time' }),
    machine: MachineShape,
    disks: Type.Array(DiskShape, { minItems: 1, maxItems: 64 }),
    notes: maybe(Type.Array(text(MAX_NOTE), { maxItems: MAX_NOTES })),
  },
  {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    $id: SURVEY_SCHEMA,
    title: 'Gentle Tide survey document, version 1',
    description:
      'The recorded state of a machine’s disks. Sizes in bytes, positions in logical sectors, disks counted from 0. Unknown fields are allowed and kept.',
  },
);

export type SurveyDocument = Static<typeof SurveyShape>;
export type SurveyMachine = Static<typeof MachineShape>;
export type SurveyDisk = Static<typeof DiskShape>;
export type SurveyPartition = Static<typeof PartitionShape>;
export type SurveyVolume = Static<typeof VolumeShape>;
