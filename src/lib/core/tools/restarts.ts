import type { Tool } from './tools';

/**
 * Restarts that a step adds (domain facts 7): each unbroken run of a tool costs its `restartsPerRun`, each unbroken run
 * of steps that wait for a restart one more.
 * @param goesOn the step before was done by the same tool
 * @param waited and waited for a restart
 */
export const countRestartsAdded = (tool: Tool, waits: boolean, goesOn: boolean, waited: boolean): number =>
  (goesOn ? 0 : tool.restartsPerRun) + (waits && !(goesOn && waited) ? 1 : 0);
