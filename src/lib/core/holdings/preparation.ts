import { Type, type Static } from 'typebox';
import { Bytes, closed } from '../shapes';
import { choiceOf, ChoiceShape, sumOf, type Choice } from './choice';
import type { CleanupReport } from './cleanupReport';
import { FreeableShape } from './freeable';

const PLACE = { disk: ChoiceShape.properties.disk, partition: ChoiceShape.properties.partition };

/**
 * What is done to a volume before anything else: what goes from it, and what moves to another. All that a work sheet
 * says of it.
 */
export const PreparationShape = closed({
  ...PLACE,
  goes: Type.Array(FreeableShape, { maxItems: 40 }),
  moves: Type.Array(
    closed({ path: ChoiceShape.properties.moves.items.properties.path, to: closed(PLACE), bytes: Bytes }),
    { maxItems: 40 },
  ),
  /** Bytes that are in use afterwards. */
  stays: Bytes,
});
export type Preparation = Static<typeof PreparationShape>;

/** Choice, volume by volume, with its figures; volumes of which nothing was chosen are left out. */
export const preparationsOf = (founds: readonly CleanupReport[], choices: readonly Choice[]): Preparation[] =>
  founds.flatMap((found) => {
    const choice = choiceOf(choices, found);
    const { moves, stays } = sumOf(found, choice);
    const goes = found.goes.filter(({ id }) => choice.goes.includes(id));
    return goes.length + moves.length === 0
      ? []
      : [{ disk: found.disk, partition: found.partition, goes, moves, stays }];
  });
