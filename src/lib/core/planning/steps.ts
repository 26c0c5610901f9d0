import type { Extent } from '../disk';
import type { Seconds } from './rates';
import type { ToolId } from './tools';

interface StepFacts {
  tool: ToolId;
  bytesCopied: number;
  exposedBytes: number;
  seconds: Seconds;
  exposedSeconds: Seconds;
  /** Why the step is there, in a sentence that the machine's owner would understand. */
  why: string;
}

interface PartitionStep extends StepFacts {
  /** Its number as found. */
  partition: number;
  id: string | null;
  from: Extent;
  to: Extent;
}

interface TableStep extends StepFacts {
  partition: null;
  id: null;
  from: null;
  to: null;
}

/** One change to a disk. More verbs join as more kinds of route are planned. */
export type Step =
  | (PartitionStep & { verb: 'shrink' })
  | (PartitionStep & { verb: 'move' })
  | (PartitionStep & { verb: 'extend' })
  | (TableStep & { verb: 'relocate-table' });

export type Verb = Step['verb'];
