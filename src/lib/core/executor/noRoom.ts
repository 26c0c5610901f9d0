/**
 * What is missing: clusters for what has to be stored, bytes in a file record, or memory for the map of a volume in
 * very many pieces.
 */
export type Lack = 'clusters' | 'record' | 'memory';

/** Ends a plan from deep within it. Whoever begins the plan makes a refusal of it: nothing is written by then. */
export class NoRoom extends Error {
  constructor(readonly lack: Lack) {
    super(`no room: ${lack}`);
  }
}

/** Whether a plan ends for want of this. */
export const lacks = (error: unknown, lack: Lack): boolean => error instanceof NoRoom && error.lack === lack;
