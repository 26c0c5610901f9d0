/** Request to a thread. */
export interface TaskMessage {
  id: number;
  task: string;
  input: unknown;
  /**
   * Its one cell becomes 1 once nobody wants the answer any more; a task looks now and then. Not there in a process.
   */
  stop?: Int32Array;
}
export type TaskReply = { id: number } & ({ value: unknown } | { error: string } | { progress: unknown });
