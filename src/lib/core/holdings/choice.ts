import { Type, type Static } from 'typebox';
import { closed } from '../shapes';
import { FreeableId, type Freeable, type Movable } from './freeable';

const VolumePlace = closed({
  disk: Type.Integer({ minimum: 0, maximum: 255 }),
  partition: Type.Integer({ minimum: 0, maximum: 65_535 }),
});

/** What was ticked of what can go, by ids, and which folders of people move to which volume. */
export const ChoiceShape = closed({
  goes: Type.Array(FreeableId, { maxItems: 40, uniqueItems: true }),
  moves: Type.Array(
    closed({
      path: Type.String({ minLength: 1, maxLength: 40_000 }),
      /** The volume that it moves to, another one of the machine. */
      to: VolumePlace,
    }),
    { maxItems: 40 },
  ),
});
export type Choice = Static<typeof ChoiceShape>;
export const NOTHING_CHOSEN: Choice = { goes: [], moves: [] };

/** What a choice comes to. `goes` + `moved` + `stays` = what was used, always. */
export interface Sum {
  goes: number;
  moved: number;
  stays: number;
  /** What moves, folder by folder. */
  moves: (Choice['moves'][number] & { bytes: number })[];
}

/**
 * Sums up a choice of what a volume holds; what is chosen and not there any more counts nothing. Lengths of files may come to more than is in
 * use: no more than that can go.
 */
export function sumOf(
  used: number,
  found: { goes: readonly Freeable[]; moves: readonly Movable[] },
  choice: Choice,
): Sum {
  const chosen = new Set(choice.goes);
  const adds = found.goes.reduce((sum, one) => sum + (chosen.has(one.id) ? one.bytes : 0), 0);
  const moves = choice.moves.flatMap(({ path, to }) => {
    const one = found.moves.find((candidate) => candidate.path === path);
    if (!one) return [];
    const gone = one.within.filter(({ id }) => chosen.has(id));
    return [{ path, to, bytes: Math.max(0, one.bytes - gone.reduce((sum, { bytes }) => sum + bytes, 0)) }];
  });
  const goes = Math.min(used, adds);
  const moved = Math.min(
    used - goes,
    moves.reduce((sum, { bytes }) => sum + bytes, 0),
  );
  return { goes, moved, stays: used - goes - moved, moves };
}
