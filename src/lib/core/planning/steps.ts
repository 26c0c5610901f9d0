import type { Extent, FileSystem } from '../disk';
import type { Seconds } from './rates';

/** The verbs of the contract, in the order in which a reader meets them. */
export const VERBS = [
  'relocate-table',
  'enlarge-disk',
  'shrink',
  'move',
  'extend',
  'delete',
  'create',
  'copy',
  'set-aside',
  'put-back',
  'decrypt',
] as const;
export type Verb = (typeof VERBS)[number];

interface StepFacts {
  tool: string;
  bytesCopied: number;
  exposedBytes: number;
  seconds: Seconds;
  exposedSeconds: Seconds;
  /** Why the step is there, in a sentence that the machine's owner would understand. */
  why: string;
}

interface PartitionFacts extends StepFacts {
  /** Its number as found; a created one has the next unused number. */
  partition: number;
  id: string | null;
}

/** What a partition is made with, and what a recovery partition must be given back. */
export interface Creation {
  type: string;
  attributes: string;
  name: string;
  fileSystem: FileSystem;
  clusterSize: number;
  label: string;
}

type Changed = PartitionFacts & { from: Extent; to: Extent };
type Gone = PartitionFacts & { from: Extent; to: null };
type Made = PartitionFacts & { from: null; to: Extent; create: Creation };
type Inside = PartitionFacts & { from: null; to: null };
type WholeDisk = StepFacts & { partition: null; id: null; from: null; to: null };

/** Where files are copied to, or from which outside place they come back. */
export type CopyWay =
  | { into: { partition: number } }
  | { into: { outside: string } }
  /** Back from an outside place; `of` is the number as found of the partition that the files were in. */
  | { fromOutside: string; of: number; into?: undefined };

/** One change to a disk. */
export type Step =
  | (WholeDisk & { verb: 'relocate-table' })
  | (WholeDisk & { verb: 'enlarge-disk'; /** Sectors of the whole disk afterwards. */ diskSectors: number })
  | (Changed & { verb: 'shrink' })
  /** `repair`: boot data or a letter hangs on the old place (MBR) and is repaired afterwards. */
  | (Changed & { verb: 'move'; repair?: string })
  | (Changed & { verb: 'extend' })
  | (Gone & { verb: 'delete' })
  | (Gone & { verb: 'set-aside' })
  | (Made & { verb: 'create' })
  | (Made & { verb: 'put-back' })
  | (Inside & { verb: 'copy' } & CopyWay)
  | (Inside & { verb: 'decrypt' });
