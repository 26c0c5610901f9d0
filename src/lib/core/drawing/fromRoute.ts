import type { Route } from '../planning';
import { moduleOf, type Intent, type Step } from '../steps';
import type { Drawing, PlannedStep } from './drawing';

/** A found route as a drawing: the same steps, each with its tool, to be changed at will. */
export const drawingOf = ({ kit, steps }: Pick<Route, 'kit' | 'steps'>): Drawing => ({
  kit,
  steps: steps.map((step, i): PlannedStep => ({
    id: `s${i + 1}`,
    intent: intentOf(step, steps),
    tool: step.tool,
    off: false,
  })),
});

/** Intent of a step of a route. */
export const intentOf = (step: Step, steps: readonly Step[]): Intent =>
  moduleOf(step.verb).intentOf(step, steps);
