import { foundIn, placedIn, type Found, type Holdings } from '$core/holdings';
import { success, type Outcome } from '$core/problem';
import type { SurveyDocument } from '$core/survey';

/** Holdings whose figures fit each other and a survey, with what was found in them. */
export interface Weighed {
  takenAt: string;
  /** The document as text. */
  document: string;
  found: Found[];
}

/** Holds holdings against the survey that they belong to. Problem codes: those of `placedIn`. */
export function weigh({
  survey,
  holdings,
}: {
  survey: SurveyDocument;
  holdings: Holdings;
}): Outcome<Weighed> {
  const placed = placedIn(survey, holdings);
  if (!placed.ok) return placed;
  const { takenAt } = holdings;
  return success({ takenAt, document: JSON.stringify(placed.value), found: foundIn(placed.value) });
}
