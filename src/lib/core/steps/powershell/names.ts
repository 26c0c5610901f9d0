import { findPartition, nameMade, sourceOf } from '../names';
import { nameInSentence } from '../../disk';
import type { InRoute } from '../verb';

/** Name of a partition in a script's messages; one that the route makes has that of the one whose files it takes. */
export function nameInScript({ disk, steps }: InRoute, number: number | null): string {
  const found = findPartition(disk, number);
  if (found) return nameInSentence(found);
  const source = sourceOf(disk, steps, number);
  return source ? `the new volume for ${nameInSentence(source)}` : nameMade(steps, number);
}
