import type { CleanupReport } from '../holdings';
import type { GoalOptions, Task } from '../planning';
import type { Intent } from '../steps';
import type { Kit } from '../tools';

/**
 * What other ways are looked for on: a task that asks for all there is, a kit that draws, and what fills the target
 * where that is known.
 */
export interface Ask {
  task: Task;
  kit: Kit;
  found: CleanupReport | null;
}

/** A folder of people that could move, in bytes. */
export interface MovableFolder {
  path: string;
  bytes: number;
}

/** Unallocated room that becomes a volume of its own. */
export interface NewVolume {
  /** The steps that make it, and the number that it has then. */
  intents: Intent[];
  partition: number;
  bytes: number;
  /** Folders that could move there, the largest first, and of those, by their paths, what is proposed. */
  folders: MovableFolder[];
  proposed: string[];
}

export type Allows = Pick<GoalOptions, 'mayJoin' | 'mayConvert' | 'mayConvertTable'>;

/** A data volume that could be joined to the target. */
export interface Joinable {
  partition: number;
  name: string;
  /** Bytes in use and in all; null where it is not known. */
  used: number | null;
  bytes: number;
  /** Way it goes, or why it does not, in a sentence. */
  says: string;
  can: boolean;
}

/** A way to more room that is not to make the target itself larger from what is unallocated and given. */
export interface WayOut {
  code: 'new-volume' | 'join' | 'convert-volume' | 'convert-table' | 'larger-disk';
  title: string;
  /** Sentences on what it is and what it costs. */
  detail: string;
  /** Why it can't be done here, in a sentence; empty where it can. */
  reason: string;
  /** Permissions that it needs with the goal. */
  allows?: Allows;
  makes?: NewVolume;
  /** The screen that it is worked out on. */
  leads?: 'larger-disk';
  /** The volumes that could be joined, those that can be first. */
  volumes?: Joinable[];
}
