import { Type, type Static } from 'typebox';
import { Bytes, closed, maybe, Name, orNull } from '../shapes';
import { FILE_SYSTEMS } from '../disk';

/**
 * The holdings document, version 1: what fills the volumes of a machine, by folder. Sizes in bytes. It holds names,
 * sizes and dates, nothing of what is in the files. Made from a disk image, or on the machine by the script that
 * surveys it.
 */
export const HOLDINGS_FORMAT = 'gentle-tide/holdings';

/** The most folders and files that a document names of one volume; smaller ones are in what their folder holds. */
export const MAX_FOLDERS = 4000;
export const MAX_FILES = 1000;
/** Folders in each other that are named; what lies deeper is in the last of them. */
export const MAX_DEPTH = 250;
/** Months of which a volume tells what came and what changed; what is older is in the first of them. */
export const MAX_MONTHS = 360;
/** Units of a name: 255 on NTFS, each of which may be escaped. */
const MAX_NAME = 255 * 6;

const Count = Type.Integer({ minimum: 0, maximum: 2 ** 32 - 1 });
const Day = Type.String({ pattern: '^[0-9]{4}-(0[1-9]|1[0-2])-[0-3][0-9]$' });
const FileName = Type.String({ minLength: 1, maxLength: MAX_NAME });
const Place = Type.Integer({ minimum: 0, maximum: MAX_FOLDERS - 1 });

const FolderShape = closed({
  /**
   * Place of the folder that it lies in, which stands before it in the list; null: it is the root, the first of them.
   */
  in: orNull(Place),
  name: Type.String({ maxLength: MAX_NAME }),
  /** All that lies in it, however deep. */
  bytes: Bytes,
  files: Count,
  /** Last change of any file in it; null: there is none. */
  newest: orNull(Day),
});

const FileShape = closed({
  in: Place,
  name: FileName,
  bytes: Bytes,
  created: orNull(Day),
  changed: orNull(Day),
  /** Windows may not note every opening. */
  opened: orNull(Day),
});

const MonthShape = closed({
  month: Type.String({ pattern: '^[0-9]{4}-(0[1-9]|1[0-2])$' }),
  /** Bytes of the files that came to the volume in it, and are still there. */
  created: Bytes,
  /** Bytes of the files that were changed in it for the last time. */
  changed: Bytes,
  /** Number of those. */
  files: Count,
});

export const VolumeHoldingsShape = closed({
  disk: Type.Integer({ minimum: 0, maximum: 255 }),
  partition: Type.Integer({ minimum: 0, maximum: 65_535 }),
  letter: maybe(Type.String({ pattern: '^[A-Za-z]$' })),
  fileSystem: Type.Enum(FILE_SYSTEMS),
  size: Bytes,
  used: Bytes,
  /**
   * What a size is: the clusters that belong to a file, or its length in whole clusters, where those can't be asked
   * for.
   */
  measure: Type.Enum(['clusters', 'length']),
  /** Bytes that the file system needs for itself, where they were read: its tables, its own files. */
  own: Bytes,
  /** Areas of restore points, where they were asked for beside the folders; else they are among the files. */
  restorePoints: maybe(Bytes),
  /** Folders below this size are not named. */
  least: Bytes,
  folders: Type.Array(FolderShape, { minItems: 1, maxItems: MAX_FOLDERS }),
  files: Type.Array(FileShape, { maxItems: MAX_FILES }),
  months: Type.Array(MonthShape, { maxItems: MAX_MONTHS }),
  /** Folders and file records that could not be read. */
  unread: Count,
});

export const HoldingsShape = closed({
  format: Type.Literal(HOLDINGS_FORMAT),
  version: Type.Literal(1),
  /** RFC 3339, UTC. */
  takenAt: Type.String({ format: 'date-time' }),
  machine: Name,
  volumes: Type.Array(VolumeHoldingsShape, { minItems: 1, maxItems: 16 }),
});

/** Address of the schema, and holdings within another document: by reference, so that their schema stands once. */
export const HOLDINGS_SCHEMA = '/schemas/holdings.json';
export const HoldingsWithin = Type.Unsafe<Static<typeof HoldingsShape>>({ $ref: HOLDINGS_SCHEMA });

export type Holdings = Static<typeof HoldingsShape>;
export type VolumeHoldings = Static<typeof VolumeHoldingsShape>;
/** Facts of a volume from its own tables. */
export type ReadHoldings = Pick<
  VolumeHoldings,
  'measure' | 'own' | 'least' | 'folders' | 'files' | 'months' | 'unread'
>;
export type HeldFolder = Static<typeof FolderShape>;
export type HeldFile = Static<typeof FileShape>;
export type HeldMonth = Static<typeof MonthShape>;
