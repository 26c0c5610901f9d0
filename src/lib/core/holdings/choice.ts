import { Type, type Static } from 'typebox';
import type { Problem } from '../problem';
import { closed } from '../shapes';
import type { SurveyDocument } from '../survey';
import { formatSize } from '../units';
import type { CleanupReport } from './cleanupReport';
import { FreeableId } from './freeable';
import { partitionsOf } from './places';

const PLACE = {
  disk: Type.Integer({ minimum: 0, maximum: 255 }),
  partition: Type.Integer({ minimum: 0, maximum: 65_535 }),
};

/** Choice for one volume: what goes, by ids, and which folders of people move to which other volume. */
export const ChoiceShape = closed({
  ...PLACE,
  goes: Type.Array(FreeableId, { maxItems: 40, uniqueItems: true }),
  moves: Type.Array(closed({ path: Type.String({ minLength: 1, maxLength: 2000 }), to: closed(PLACE) }), {
    maxItems: 40,
  }),
});
export const ChoicesShape = Type.Array(ChoiceShape, { maxItems: 16 });
export type Choice = Static<typeof ChoiceShape>;
export type VolumePlace = Choice['moves'][number]['to'];

export const isAt = (a: VolumePlace, b: VolumePlace): boolean =>
  a.disk === b.disk && a.partition === b.partition;

/** Choice for a volume; nothing where nobody chose. */
export const choiceOf = (choices: readonly Choice[], { disk, partition }: VolumePlace): Choice =>
  choices.find((one) => isAt(one, { disk, partition })) ?? { disk, partition, goes: [], moves: [] };

/** Sums of a choice. `goes` + `moved` + `stays` = what was used, always. */
export interface ChoiceSum {
  goes: number;
  moved: number;
  stays: number;
  /** Bytes that move, folder by folder. */
  moves: (Choice['moves'][number] & { bytes: number })[];
}

/**
 * Sums up a choice of what a volume holds; what is chosen and not there any more counts nothing. Lengths of files may
 * come to more than is in use: no more than that can go.
 */
export function sumOf(
  found: Pick<CleanupReport, 'used' | 'goes' | 'moves'>,
  choice: Pick<Choice, 'goes' | 'moves'>,
): ChoiceSum {
  const { used } = found;
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

/**
 * What is wrong with choices, on a survey and what was found on it. Codes: `no-volume`, `not-found`, `twice`,
 * `no-place` (a folder can't move there), `no-room`.
 */
export function checkChoices(
  survey: SurveyDocument,
  founds: readonly CleanupReport[],
  choices: readonly Choice[],
): Problem[] {
  const problems: Problem[] = [];
  const volumes = partitionsOf(survey);
  const arriving = new Map<string, number>();
  choices.forEach((choice, i) => {
    const add = (code: string, at: string, message: string) =>
      problems.push({ code, path: `/choices/${i}${at}`, message });
    const found = founds.find((one) => isAt(one, choice));
    if (!found) return add('no-volume', '', 'Nothing is known of what fills this volume.');
    if (choices.findIndex((one) => isAt(one, choice)) < i)
      return add('twice', '', 'This volume stands here twice.');
    choice.goes.forEach((id, n) => {
      if (!found.goes.some((one) => one.id === id))
        add('not-found', `/goes/${n}`, `“${id}” was not found on this volume.`);
    });
    const { moves } = sumOf(found, choice);
    choice.moves.forEach(({ path, to }, n) => {
      const at = `/moves/${n}`;
      const bytes = moves.find((one) => one.path === path)?.bytes;
      if (bytes === undefined)
        return add('not-found', `${at}/path`, 'This folder was not found among those that can move.');
      if (choice.moves.findIndex((one) => one.path === path) < n)
        return add('twice', `${at}/path`, 'This folder moves already.');
      const place = volumes.find((one) => isAt(one, to));
      if (!place?.volume || place.volume.used == null || isAt(to, choice))
        return add('no-place', `${at}/to`, 'A folder moves to another volume whose free space is known.');
      const key = `${to.disk} ${to.partition}`;
      const sum = (arriving.get(key) ?? 0) + bytes;
      arriving.set(key, sum);
      const free = place.volume.size - place.volume.used;
      if (sum > free)
        add('no-room', `${at}/to`, `${formatSize(sum)} would move there, and ${formatSize(free)} are free.`);
    });
  });
  return problems.slice(0, 20);
}
