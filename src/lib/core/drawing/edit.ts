import { numberOf, type Intent } from '../steps';
import { createStepId, type Drawing, type PlannedStep } from './drawing';

/** Change of a drawing. `at`: the place in its list before which something is put. */
export type Edit =
  | { kind: 'add'; at: number; intents: readonly Intent[]; tool?: string | null }
  | { kind: 'change'; id: string; intent: Intent }
  | { kind: 'tool'; id: string; tool: string | null }
  | { kind: 'switch'; id: string; off: boolean }
  | { kind: 'remove'; id: string }
  | { kind: 'order'; ids: readonly string[] }
  | { kind: 'join'; id: string }
  | { kind: 'kit'; kit: string };

/** The drawing after an edit; the very same one where the edit changes nothing or names no step. */
export function applyEdit(drawing: Drawing, edit: Edit): Drawing {
  const { steps } = drawing;
  switch (edit.kind) {
    case 'add': {
      const next = [...steps];
      edit.intents.forEach((intent, i) => {
        next.splice(edit.at + i, 0, { id: createStepId(next), intent, tool: edit.tool ?? null, off: false });
      });
      return edit.intents.length === 0 ? drawing : { ...drawing, steps: next };
    }
    case 'change':
      return changed(drawing, edit.id, (step) => ({ ...step, intent: edit.intent }));
    case 'tool':
      return changed(drawing, edit.id, (step) => ({ ...step, tool: edit.tool }));
    case 'switch':
      return changed(drawing, edit.id, (step) => ({ ...step, off: edit.off }));
    case 'remove': {
      const rest = steps.filter((step) => step.id !== edit.id);
      return rest.length === steps.length ? drawing : { ...drawing, steps: rest };
    }
    case 'order': {
      const byId = new Map(steps.map((step) => [step.id, step]));
      const next = edit.ids.flatMap((id) => byId.get(id) ?? []);
      const same = next.length !== steps.length || next.every((step, i) => step === steps[i]);
      return same ? drawing : { ...drawing, steps: next };
    }
    case 'join': {
      const at = steps.findIndex((step) => step.id === edit.id);
      const one = at < 0 ? null : joined(steps[at]!, steps[at + 1]);
      return one ? { ...drawing, steps: [...steps.slice(0, at), one, ...steps.slice(at + 2)] } : drawing;
    }
    case 'kit':
      return edit.kit === drawing.kit ? drawing : { ...drawing, kit: edit.kit };
  }
}

function changed(drawing: Drawing, id: string, change: (step: PlannedStep) => PlannedStep): Drawing {
  if (!drawing.steps.some((step) => step.id === id)) return drawing;
  return { ...drawing, steps: drawing.steps.map((step) => (step.id === id ? change(step) : step)) };
}

/**
 * Two neighbouring steps as one, where they come to one: both shrink, extend or move the same partition. The
 * second says where it ends; of a leap both moves are wanted, so joining is offered, never done by itself.
 */
export function joined(first: PlannedStep, second: PlannedStep | undefined): PlannedStep | null {
  if (!second || first.off || second.off) return null;
  const [a, b] = [first.intent, second.intent];
  const one = a.verb === b.verb && numberOf(a) === numberOf(b);
  if (!one || (a.verb !== 'shrink' && a.verb !== 'extend' && a.verb !== 'move')) return null;
  return { ...first, intent: b, tool: second.tool ?? first.tool };
}
