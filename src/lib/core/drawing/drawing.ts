import { Type, type Static } from 'typebox';
import { IntentShape } from '../steps';
import { closed, Name } from '../shapes';

/** A step of a drawing. */
const PlannedStep = closed({
  /** Unique in the drawing; it stays with the step wherever it is put. */
  id: Type.String({ minLength: 1, maxLength: 20 }),
  intent: IntentShape,
  /** Id of the tool that is to do it; null: whichever of the kit suits best. */
  tool: Type.Union([Type.String({ maxLength: 60 }), Type.Null()]),
  off: Type.Boolean(),
});
export type PlannedStep = Static<typeof PlannedStep>;

/** A technician's own steps, with the kit that they are drawn for. Nothing in it is changed in place. */
export const Drawing = closed({
  kit: Name,
  /** Number of the disk that everything goes to; absent: the steps are for the target's own disk. */
  onto: Type.Optional(Type.Integer({ minimum: 0, maximum: 255 })),
  steps: Type.Array(PlannedStep, { maxItems: 200 }),
});
export interface Drawing {
  kit: string;
  onto?: number;
  steps: readonly PlannedStep[];
}

/** An id that no step of the drawing has yet. */
export function createStepId(steps: readonly PlannedStep[]): string {
  const taken = new Set(steps.map((step) => step.id));
  let n = steps.length + 1;
  while (taken.has(`s${n}`)) n++;
  return `s${n}`;
}
