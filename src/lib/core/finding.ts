import { Type, type Static } from 'typebox';

const RemedyShape = Type.Object({
  title: Type.String(),
  /** Ids of the tools that can do it; empty where it is done by hand before any tool runs. */
  tools: Type.Array(Type.String()),
});
export type Remedy = Static<typeof RemedyShape>;

/** Fact of a disk, why it matters, and what can be done about it (contract, diagnosis). */
export const FindingShape = Type.Object({
  /** A stable word for programs. */
  code: Type.String(),
  /** blocks: nothing goes until it is dealt with; costs: it makes the way longer; note: good to know. */
  severity: Type.Enum(['blocks', 'costs', 'note']),
  /** Numbers of the partitions meant, on the target's disk. */
  partitions: Type.Array(Type.Integer()),
  title: Type.String(),
  detail: Type.String(),
  remedies: Type.Array(RemedyShape),
});
export type Finding = Static<typeof FindingShape>;
