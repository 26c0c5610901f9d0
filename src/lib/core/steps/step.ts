import { Type, type Static } from 'typebox';
import { FILE_SYSTEMS } from '../disk';
import type { ToolSet } from '../tools';
import type { BootCheckIntent, BootCheckStep } from './bootCheck';
import type { CloneIntent, CloneStep } from './clone';
import type { ConvertTableIntent, ConvertTableStep } from './convertTable';
import type { ConvertVolumeIntent, ConvertVolumeStep } from './convertVolume';
import type { CopyIntent, CopyStep } from './copy';
import type { CreateIntent, CreateStep } from './create';
import type { DecryptIntent, DecryptStep } from './decrypt';
import type { DeleteIntent, DeleteStep } from './delete';
import type { EnlargeIntent, EnlargeStep } from './enlargeDisk';
import type { ExtendIntent, ExtendStep } from './extend';
import type { JoinIntent, JoinStep } from './join';
import type { MakeTableIntent, MakeTableStep } from './makeTable';
import type { MoveIntent, MoveStep } from './move';
import type { MoveFoldersIntent, MoveFoldersStep } from './moveFolders';
import type { PutBackIntent, PutBackStep } from './putBack';
import type { RelocateIntent, RelocateStep } from './relocateTable';
import type { SetAsideIntent, SetAsideStep } from './setAside';
import { closed, Bytes, ExtentShape, Id, Name, PartitionNumber, RangeOfSeconds, Text } from '../shapes';
import type { ShrinkIntent, ShrinkStep } from './shrink';

/** Properties that a partition is made with, and those that a recovery partition must be given back. */
export const Creation = closed({
  type: Text,
  attributes: Text,
  name: Text,
  fileSystem: Type.Enum(FILE_SYSTEMS),
  clusterSize: Type.Integer({ minimum: 0, maximum: 2 ** 26 }),
  label: Text,
});
export type Creation = Static<typeof Creation>;

/** Fields of every step: figures, and why it is there, in a sentence that the machine's owner would understand. */
const FACTS = {
  tool: Name,
  bytesCopied: Bytes,
  exposedBytes: Bytes,
  seconds: RangeOfSeconds,
  exposedSeconds: RangeOfSeconds,
  why: Type.String({ maxLength: 2000 }),
};
const NOTHING = Type.Null();
/** A partition's number is the one as found; a created one has the next unused number. */
const PARTITION = { ...FACTS, partition: PartitionNumber, id: Id };

/** The shapes of steps by what they have a place in: before, after, both, neither, or the disk as a whole. */
export const CHANGED = { ...PARTITION, from: ExtentShape, to: ExtentShape };
export const GONE = { ...PARTITION, from: ExtentShape, to: NOTHING };
export const MADE = { ...PARTITION, from: NOTHING, to: ExtentShape, create: Creation };
export const INSIDE = { ...PARTITION, from: NOTHING, to: NOTHING };
export const WHOLE_DISK = { ...FACTS, partition: NOTHING, id: NOTHING, from: NOTHING, to: NOTHING };

/** The verbs of the contract with what each is as a step and as an intent. */
interface Verbs {
  'relocate-table': { step: RelocateStep; intent: RelocateIntent };
  'enlarge-disk': { step: EnlargeStep; intent: EnlargeIntent };
  shrink: { step: ShrinkStep; intent: ShrinkIntent };
  move: { step: MoveStep; intent: MoveIntent };
  extend: { step: ExtendStep; intent: ExtendIntent };
  delete: { step: DeleteStep; intent: DeleteIntent };
  create: { step: CreateStep; intent: CreateIntent };
  copy: { step: CopyStep; intent: CopyIntent };
  'set-aside': { step: SetAsideStep; intent: SetAsideIntent };
  'put-back': { step: PutBackStep; intent: PutBackIntent };
  decrypt: { step: DecryptStep; intent: DecryptIntent };
  'convert-volume': { step: ConvertVolumeStep; intent: ConvertVolumeIntent };
  'convert-table': { step: ConvertTableStep; intent: ConvertTableIntent };
  join: { step: JoinStep; intent: JoinIntent };
  'move-folders': { step: MoveFoldersStep; intent: MoveFoldersIntent };
  'make-table': { step: MakeTableStep; intent: MakeTableIntent };
  clone: { step: CloneStep; intent: CloneIntent };
  'boot-check': { step: BootCheckStep; intent: BootCheckIntent };
}
export type Verb = keyof Verbs;

/** One change to a disk, with its tool and figures; of one verb, or any. */
export type StepOf<V extends Verb> = Verbs[V]['step'];
export type Step = StepOf<Verb>;

/**
 * What somebody means a step to do, whatever stands there when its turn comes. Positions in sectors; a partition is
 * meant by its number, as found or as it was made.
 */
export type IntentOf<V extends Verb> = Verbs[V]['intent'];
export type Intent = IntentOf<Verb>;

type DistributiveOmit<T, K extends PropertyKey> = T extends unknown ? Omit<T, K> : never;
/** A step without what its tool, its time and its reason add. */
export type BareStep = DistributiveOmit<Step, 'tool' | 'seconds' | 'exposedSeconds' | 'why'>;

/**
 * What an intent comes to: the step's figures, the tools of the kit that can do it, and those that wait for a restart
 * with it.
 */
export interface PricedStep {
  step: BareStep;
  tools: ToolSet;
  waiting: ToolSet;
}

/** The number of the partition that an intent is about; null: the disk as a whole. */
export const numberOf = (intent: Intent): number | null => ('partition' in intent ? intent.partition : null);
