import { SaveSurveyFile, type SurveySource } from '$contract/surveys';
import {
  checkChoices,
  cleanupReportsOf,
  HoldingsShape,
  isAt,
  partitionsOf,
  placeHoldings,
  type Choice,
  type CleanupReport,
  type Holdings,
} from '$core/holdings';
import { failure, success, under, type Outcome } from '$core/problem';
import { checkSurvey, type SurveyDocument } from '$core/survey';
import type { Static } from 'typebox';
import { defineTask } from '../../platform/threads/task';
import { checkBody } from '../../platform/validation/checkBody';
import { loadDocument, loadOrNull } from '../../store/documents/loadDocument';

/** Holdings whose figures fit each other and a survey, with what was found in them. */
export interface Weighed {
  takenAt: string;
  /** The document as text. */
  document: string;
  found: CleanupReport[];
}

/** Holds holdings against the survey that they belong to. Problem codes: those of `placedIn`. */
export function weigh({
  survey,
  holdings,
}: {
  survey: SurveyDocument;
  holdings: Holdings;
}): Outcome<Weighed> {
  const placed = placeHoldings(survey, holdings);
  if (!placed.ok) return placed;
  const { takenAt } = holdings;
  return success({ takenAt, document: JSON.stringify(placed.value), found: cleanupReportsOf(placed.value) });
}

export const weighTask = defineTask('weighHoldings', weigh);

/** Holdings of the survey before, as text, and the choices on them. */
interface EarlierHoldings {
  document: string;
  choices: readonly Choice[];
}
/** A survey as it is sent to be kept, checked, with what is known of what fills its volumes. */
interface ReadSurvey {
  version: number;
  source: SurveySource;
  survey: SurveyDocument;
  holdings: Weighed | null;
  choices: readonly Choice[];
}

/**
 * Reads a body that gives a job its survey, in one go: its form, its figures, and what fills its volumes, which is
 * taken over from the survey before where nothing is said of it.
 */
export const readSurveyTask = defineTask(
  'readSurvey',
  ({ bytes, earlier }: { bytes: Uint8Array; earlier: EarlierHoldings | null }): Outcome<ReadSurvey> => {
    const body = checkBody(bytes, SaveSurveyFile.name);
    if (!body.ok) return body;
    const { version, source, survey, holdings } = body.value as Static<typeof SaveSurveyFile.shape>;
    const problems = checkSurvey(survey);
    if (problems.length > 0) return failure(...under('/survey', problems));
    const head = { version, source, survey };
    if (!holdings) return success({ ...head, ...((earlier && takeOver(earlier, survey)) ?? NOTHING) });
    const weighed = weigh({ survey, holdings });
    return weighed.ok
      ? success({ ...head, holdings: weighed.value, choices: [] })
      : failure(...under('/holdings', weighed.problems));
  },
);
const NOTHING: Pick<ReadSurvey, 'holdings' | 'choices'> = { holdings: null, choices: [] };

/**
 * What a survey that only says more of the same machine takes over from the one before: nothing where a volume has
 * another size, or holds more or less than before.
 */
function takeOver(
  { document, choices }: EarlierHoldings,
  next: SurveyDocument,
): Pick<ReadSurvey, 'holdings' | 'choices'> | null {
  // One that another release wrote, or a hand, is not taken over.
  const holdings = loadOrNull([], () => loadDocument(document, HoldingsShape, 'What fills the volumes'));
  const found = holdings && weigh({ survey: next, holdings });
  if (!found?.ok) return null;
  const volumes = partitionsOf(next);
  const same = found.value.found.every(
    (one) => volumes.find((volume) => isAt(volume, one))?.volume?.used === one.used,
  );
  return same && checkChoices(next, found.value.found, choices).length === 0
    ? { holdings: found.value, choices }
    : null;
}
