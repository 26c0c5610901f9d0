import type { Route, Step } from '../planning';
import { type Drawing, type Drawn, type Intent } from './intent';

/** A found route as a drawing: the same steps, each with its tool, to be changed at will. */
export const drawingOf = (route: Pick<Route, 'kit' | 'steps'>): Drawing => ({
  kit: route.kit,
  steps: route.steps.map((step, i): Drawn => ({
    id: `s${i + 1}`,
    intent: intentOf(step),
    tool: step.tool,
    off: false,
  })),
});

/** What a step means to do. */
export function intentOf(step: Step): Intent {
  switch (step.verb) {
    case 'relocate-table':
      return { verb: 'relocate-table' };
    case 'enlarge-disk':
      return { verb: 'enlarge-disk', diskSectors: step.diskSectors };
    case 'move':
      return { verb: 'move', partition: step.partition, first: step.to.first };
    case 'shrink':
    case 'extend':
    case 'put-back':
      return { verb: step.verb, partition: step.partition, to: step.to };
    case 'create':
      return { verb: 'create', partition: step.partition, to: step.to, create: step.create };
    case 'delete':
      return { verb: 'delete', partition: step.partition, word: 'as asked for with the goal' };
    case 'copy':
      return step.into === undefined
        ? { verb: 'copy-back', partition: step.partition, of: step.of, fromOutside: step.fromOutside }
        : { verb: 'copy', partition: step.partition, into: step.into };
    case 'set-aside':
    case 'decrypt':
      return { verb: step.verb, partition: step.partition };
  }
}
