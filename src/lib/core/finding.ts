/** What is the case on a disk, why it matters, and what can be done about it (contract, diagnosis). */
export interface Finding {
  /** A stable word for programs. */
  code: string;
  /** blocks: nothing goes until it is dealt with; costs: it makes the way longer; note: good to know. */
  severity: 'blocks' | 'costs' | 'note';
  /** Numbers of the partitions meant, on the target's disk. */
  partitions: number[];
  title: string;
  detail: string;
  remedies: Remedy[];
}

export interface Remedy {
  title: string;
  /** Ids of the tools that can do it; empty where it is done by hand before any tool runs. */
  tools: string[];
}
