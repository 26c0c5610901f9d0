import type { Extent } from '../disk';
import type { Creation } from '../planning';

/**
 * What a technician means a step to do, whatever stands there when its turn comes. Positions in sectors; a
 * partition is meant by its number, as found or as the drawing gave it.
 */
export type Intent =
  /** A partition ends elsewhere, or an extended partition at either end. */
  | { verb: 'shrink' | 'extend'; partition: number; to: Extent }
  | { verb: 'move'; partition: number; first: number }
  /** `word`: who allowed it, in the technician's words; not needed for what was copied or is empty. */
  | { verb: 'delete'; partition: number; word: string }
  | { verb: 'create'; partition: number; to: Extent; create: Creation }
  | { verb: 'copy'; partition: number; into: { partition: number } | { outside: string } }
  | { verb: 'copy-back'; partition: number; of: number; fromOutside: string }
  | { verb: 'set-aside' | 'decrypt'; partition: number }
  | { verb: 'put-back'; partition: number; to: Extent }
  | { verb: 'relocate-table' }
  | { verb: 'enlarge-disk'; diskSectors: number };

/** A step of a drawing. */
export interface Drawn {
  /** Unique in the drawing; it stays with the step wherever it is put. */
  id: string;
  intent: Intent;
  /** Id of the tool that is to do it; null: whichever of the kit suits best. */
  tool: string | null;
  off: boolean;
}

/** A technician's own steps, with the kit that they are drawn for. Nothing in it is changed in place. */
export interface Drawing {
  kit: string;
  steps: readonly Drawn[];
}

export const numberOf = (intent: Intent): number | null => ('partition' in intent ? intent.partition : null);

/** An id that no step of the drawing has yet. */
export function freshId(steps: readonly Drawn[]): string {
  const taken = new Set(steps.map((step) => step.id));
  let n = steps.length + 1;
  while (taken.has(`s${n}`)) n++;
  return `s${n}`;
}
