import { NO_TOOLS, both, isEncrypted, isLocked, type Kit, type ToolSet } from '../tools';
import { nameInSentence, type Partition } from '../disk';
import { type Outcome, refusal, success } from '../problem';
import type { StepContext } from './verb';
import type { BareStep, PricedStep } from './step';

/** A step that can't be done here, with the reason as a sentence. */
export const refused = (message: string) => refusal('refused', message);

/** The tools that can do something, or why none can. */
export type Able = Outcome<ToolSet>;

export const able = (tools: ToolSet, reason: string): Able =>
  tools === NO_TOOLS ? refused(reason) : success(tools);

export const priced = (step: BareStep, able: Able, waiting: ToolSet = NO_TOOLS): Outcome<PricedStep> =>
  able.ok ? success({ step, tools: able.value, waiting: both(waiting, able.value) }) : able;

/** Why no tool of the kit does something to a partition: its encryption, else the kit. */
export function explainNoTool(kit: Kit, partition: Partition, decrypted: boolean, does: string): string {
  const name = nameInSentence(partition);
  if (isLocked(partition)) return `${name} is locked. Unlock it first, and survey the disk again.`;
  if (isEncrypted(partition) && !decrypted) {
    return `${name} is encrypted, and no tool of the kit “${kit.name}” ${does} it like that. Decrypt it first.`;
  }
  return `No tool of the kit “${kit.name}” ${does} ${name}.`;
}

/** A partition that an intent is about, as it stands, and what was done to it. */
export interface Subject {
  partition: Partition;
  /** The beginning of its step. */
  who: { partition: number; id: string | null };
  /** Mark of one that was made on the way. */
  made: boolean;
  decrypted: boolean;
  used: number | null;
}

/** The subject of an intent, where it is on the disk and may be changed. */
export function subjectOf({ terms, layout }: StepContext, number: number): Outcome<Subject> {
  const partition = layout.partitions.find((one) => one.number === number);
  if (!partition) return refused(`There is no partition ${number} here.`);
  if (terms.fixed.has(number)) {
    return refused(`${nameInSentence(partition)} is kept fixed: it neither moves nor changes.`);
  }
  const made = !terms.disk.partitions.some((one) => one.number === number);
  return success({
    partition,
    who: { partition: number, id: made ? null : partition.id },
    made,
    decrypted: layout.decrypted.includes(number),
    used: partition.volume?.used ?? null,
  });
}
