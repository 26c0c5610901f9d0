import { Type, type Static } from 'typebox';
import { ENCRYPTION_STATES, FILE_SYSTEMS, MEDIA, PARTITION_KINDS, ROLES, TABLE_KINDS } from '../disk';
import { DIFFICULTIES } from '../planning';
import { closed, Bytes, Name, orNull, PartitionNumber, RangeOfSeconds, Sector, Text } from '../shapes';
import { FigureShape, VERBS } from '../steps';

export const SHEET_FORMAT = 'gentle-tide/work-sheet';

const Sentence = Type.String({ maxLength: 4000 });
const Sentences = Type.Array(Sentence, { maxItems: 200 });
const Labelled = Type.Array(closed({ label: Sentence, text: Sentence }), { maxItems: 2000 });
const Counted = Type.Integer({ minimum: 1, maximum: 1000 });
const ItemId = Type.String({ minLength: 1, maxLength: 64 });

/** The disk that a sheet is for. */
const SheetDiskShape = closed({
  /** Counted from 0. */
  number: PartitionNumber,
  model: Text,
  serial: Text,
  /** GUID, or the signature on MBR; empty where it is not known. */
  id: Text,
  bytes: Bytes,
  sectorSize: Type.Integer({ minimum: 1, maximum: 65_536 }),
  media: Type.Enum(MEDIA),
  table: Type.Enum(TABLE_KINDS),
});
export type SheetDisk = Static<typeof SheetDiskShape>;

const PromisedPartitionShape = closed({
  number: PartitionNumber,
  name: Sentence,
  kind: Type.Enum(PARTITION_KINDS),
  role: Type.Enum(ROLES),
  first: Sector,
  sectors: Sector,
  type: Text,
  attributes: Text,
  /** Its GUID; null where there is none, or where the partition is made anew and gets another. */
  id: orNull(Text),
  /** Made anew on the way: its GUID, and details that no tool sets, may differ. */
  remade: Type.Boolean(),
  letter: orNull(Text),
  fileSystem: orNull(Type.Enum(FILE_SYSTEMS)),
  label: Text,
  /** Bytes in use as found, where that was known. */
  used: orNull(Bytes),
  encryption: Type.Enum(ENCRYPTION_STATES),
});
export type PromisedPartition = Static<typeof PromisedPartitionShape>;

/** The disk as it will be left, to be held against a survey taken afterwards. */
const PromisedShape = closed({
  /** Bytes of the whole disk. */
  diskBytes: Bytes,
  recoveryEnabled: Type.Boolean(),
  /** The kind of table that the route makes of another; then disk and partitions have GUIDs that nobody knew. */
  newTable: Type.Optional(Type.Enum(TABLE_KINDS)),
  /** Number of the disk that everything came from, where it went to another one. */
  from: Type.Optional(Type.Integer({ minimum: 0, maximum: 255 })),
  partitions: Type.Array(PromisedPartitionShape, { maxItems: 2048 }),
});
export type Promised = Static<typeof PromisedShape>;

/** Content of a disk in one place: a partition, or unallocated space of 1 MiB or more. */
const PieceShape = closed({
  /** Null for unallocated space. */
  number: orNull(PartitionNumber),
  name: Sentence,
  role: orNull(Type.Enum(ROLES)),
  letter: orNull(Text),
  first: Sector,
  sectors: Sector,
  /** Bytes in use, where that is known. */
  used: orNull(Bytes),
});
export type LinePiece = Static<typeof PieceShape>;
const Pieces = Type.Array(PieceShape, { maxItems: 5000 });

/** Lines ready to be copied into a Windows PowerShell that was started as administrator. */
const ScriptShape = closed({ title: Sentence, text: Type.String({ maxLength: 100_000 }) });
export type Script = Static<typeof ScriptShape>;

/** Something to be seen to, with what it needs to be done exactly. */
const CheckShape = closed({
  id: ItemId,
  title: Sentence,
  /** Sentences, one after the other. */
  text: Sentences,
  /** To be read off or noted. */
  values: Labelled,
  /** Questions that must be answered when it is ticked. */
  asks: Type.Array(closed({ id: ItemId, label: Sentence }), { maxItems: 10 }),
  script: orNull(ScriptShape),
  handsOn: RangeOfSeconds,
  waiting: RangeOfSeconds,
});
export type Check = Static<typeof CheckShape>;
const Checks = Type.Array(CheckShape, { maxItems: 200 });

const SheetStepShape = closed({
  id: ItemId,
  /** Counted from 1 over the whole sheet. */
  number: Counted,
  verb: Type.Enum(VERBS),
  title: Sentence,
  /** Marks that tell the partition from the others; null for the whole disk. */
  partition: orNull(
    closed({ name: Sentence, number: PartitionNumber, place: Sentence, first: Sector, bytes: Bytes }),
  ),
  do: Sentences,
  figures: Type.Array(FigureShape, { maxItems: 50 }),
  /** Properties that a partition is made with. */
  values: Labelled,
  why: Sentence,
  bytesCopied: Bytes,
  handsOn: RangeOfSeconds,
  /** Time of waiting; that of a staged step passes at its commit point. */
  waiting: RangeOfSeconds,
  exposed: RangeOfSeconds,
  /** Sight that must follow. */
  see: closed({ text: Sentence, pieces: Pieces, changed: orNull(PartitionNumber) }),
  ifNot: Sentences,
  wrong: closed({
    /** State of the disk if it stops half-way. */
    midway: Sentence,
    /** The steps back to the layout as found once it is done, and what they do not bring back. */
    back: Sentences,
    lost: Sentences,
  }),
  script: orNull(ScriptShape),
});
export type SheetStep = Static<typeof SheetStepShape>;

/** Steps that become real together. */
const PartShape = closed({
  steps: Type.Array(SheetStepShape, { maxItems: 200 }),
  /** Point at which they do; null where each step is real at once. */
  commit: orNull(CheckShape),
});
export type RunPart = Static<typeof PartShape>;

/** Consecutive steps with one tool. */
const RunShape = closed({
  id: ItemId,
  tool: closed({ id: Name, name: Name, notes: Sentence }),
  /** The disk's number as this tool counts. */
  disk: PartitionNumber,
  countsFrom: Type.Unsafe<0 | 1>({ enum: [0, 1] }),
  /** Whether it only stages what is entered, until it is told to commit; Windows stages nothing. */
  staged: Type.Boolean(),
  open: Checks,
  /** Files are copied for real before anything that rests on them is staged, so a run may have several parts. */
  parts: Type.Array(PartShape, { maxItems: 200 }),
  close: Checks,
});
export type SheetRun = Static<typeof RunShape>;

/**
 * A work sheet as it is kept: everything that is printed or shown of it, so that it stays as it was made whatever
 * becomes of settings and surveys. Sizes and positions in bytes, where a name does not say sectors.
 */
export const WorkSheetShape = closed({
  format: Type.Literal(SHEET_FORMAT),
  version: Type.Literal(1),
  kit: closed({ id: Name, name: Name }),
  title: Sentence,
  difficulty: closed({ grade: Type.Enum(DIFFICULTIES), why: Sentence }),
  noReturn: orNull(closed({ step: Counted, why: Sentence })),
  target: closed({ partition: PartitionNumber, name: Sentence, from: Bytes, to: Bytes }),
  disk: SheetDiskShape,
  /** The layout as found, from left to right. */
  asFound: Pieces,
  before: Checks,
  runs: Type.Array(RunShape, { maxItems: 200 }),
  whileItRuns: closed({ normal: Sentences, never: Sentences }),
  after: Checks,
  promise: PromisedShape,
  /** Notes on the whole, such as a goal that is not reached. */
  notes: Sentences,
  totals: closed({
    bytesCopied: Bytes,
    exposedBytes: Bytes,
    restarts: Type.Integer({ minimum: 0, maximum: 10_000 }),
    handsOn: RangeOfSeconds,
    waiting: RangeOfSeconds,
    exposed: RangeOfSeconds,
  }),
});
export type WorkSheet = Static<typeof WorkSheetShape>;

/** Every step of a sheet, in order. */
export const stepsOf = (sheet: Pick<WorkSheet, 'runs'>): SheetStep[] =>
  sheet.runs.flatMap((run) => run.parts.flatMap((part) => part.steps));
