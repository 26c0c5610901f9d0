import type { Intent, IntentOf, PricedStep, Step, StepOf, Verb } from './step';
import type { Layout } from './layout';
import type { KeepFree, Kit, Tool } from '../tools';
import { Type, type Static, type TSchema } from 'typebox';
import type { Disk, Partition } from '../disk';
import type { Outcome } from '../problem';
import { closed, Sector } from '../shapes';
import type { Machine } from '../survey';

/** Context of all steps of a route: the disk as found, and what may be done to it. */
export interface Terms {
  machine: Machine;
  disk: Disk;
  target: Partition;
  keepFree: KeepFree;
  /** Numbers of partitions that neither move nor change. */
  fixed: ReadonlySet<number>;
  mayEnlargeDisk: boolean;
  /** The target's file system may be converted, which nothing takes back. */
  mayConvert: boolean;
  /** An MBR may be converted to GPT, which nothing takes back. */
  mayConvertTable: boolean;
  /** Numbers of data volumes whose files may go into a folder of the target. */
  mayJoin: ReadonlySet<number>;
  /**
   * The disk as found, where everything is cloned from it to `disk`, which is empty then; null: the work is on the disk
   * itself.
   */
  from: Disk | null;
}

/** Place of an intent. */
export interface StepContext {
  terms: Terms;
  kit: Kit;
  layout: Layout;
}

/** A step where it stands in its route. */
export interface InRoute<V extends Verb = Verb> {
  disk: Disk;
  target: Partition;
  steps: readonly Step[];
  step: StepOf<V>;
}

/** A step as a work sheet tells it, with the disk before and after it. */
export interface OnSheet<V extends Verb = Verb> extends InRoute<V> {
  tool: Tool;
  before: Layout;
  after: Layout;
  /** Bytes of the whole disk when the step's turn comes. */
  diskBytes: number;
}

/** A figure that a tool may ask for; where it is a place, with its sector. */
export const FigureShape = closed({
  label: Type.String({ maxLength: 200 }),
  bytes: Type.Integer({ minimum: Number.MIN_SAFE_INTEGER, maximum: Number.MAX_SAFE_INTEGER }),
  sector: Type.Optional(Sector),
});
export type Figure = Static<typeof FigureShape>;

/** Words of a sheet on a step that fit any tool of that kind. */
export interface StepWords {
  title: string;
  do: string[];
  /** Sight that must follow. */
  expected: string;
  /** Advice if it is not seen. */
  ifNot: string[];
  /** State of the disk if the step stops half-way. */
  ifInterrupted: string;
}

/** The way back from somewhere in a route, while it is put together. */
export interface GoingBack {
  disk: Disk;
  /** The steps that were done. */
  done: readonly Step[];
  /** Number of a partition by now, where it had to be made anew on the way back. */
  numberNow: (partition: number) => number;
  /** A number for a partition that is made anew. */
  renumbered: (partition: number) => number;
}

/** Intents that take a step back, and what they do not bring back. */
export interface Opposite {
  intents?: Intent[];
  lost?: string[];
}

/**
 * All that is particular to a verb. Whatever asks about steps asks here, so a new verb is a new module and its line in
 * the registry.
 */
export interface VerbModule<V extends Verb> {
  /** Shapes of the step as it travels, and of what is meant by it. */
  step: TSchema;
  intents: Record<string, TSchema>;
  /** Its name where there is little room. */
  name: string;
  /**
   * What it comes to on a layout: exact figures, costs and the tools that can (domain facts 7 and 8); or why it can't
   * be.
   */
  resolve: (ground: StepContext, intent: IntentOf<V>) => Outcome<PricedStep>;
  /** The layout after it, or why it is not possible there, as part of a sentence. */
  apply: (disk: Disk, layout: Layout, step: StepOf<V>) => Outcome<Layout>;
  /** Intent of a step of a route. */
  intentOf: (step: StepOf<V>, steps: readonly Step[]) => IntentOf<V>;
  opposite: (step: StepOf<V>, back: GoingBack) => Opposite;
  /** Why taking it back does not undo all of it; null: it does. */
  noReturn: (step: StepOf<V>) => string | null;
  /** Why it is there, in a sentence that the machine's owner would understand. */
  why: (told: InRoute<V>) => string;
  /** Object of it, in a few words behind its name. */
  object: (step: StepOf<V>, disk: Disk, name: string) => string;
  /** The step in one line with its exact figures. */
  line: (step: StepOf<V>, disk: Disk, name: string) => string;
  figures: (told: OnSheet<V>) => Figure[];
  words: (told: OnSheet<V>) => StepWords;
  /** The lines with which Windows itself does it, behind guards; null: it is not done inside this Windows. */
  script: (told: OnSheet<V>) => string[] | null;
}
