import type { Static, TSchema } from 'typebox';
import { checkSurvey, SurveyShape, type SurveyDocument } from '$core/survey';
import { faultOf } from './schemas';

/** A document that is kept and can't be shown: it was written by another release, or by hand. */
export class Unshowable extends Error {
  constructor(
    readonly what: string,
    readonly why: string,
  ) {
    super(`${what} can’t be shown: ${why}`);
  }
}

/** A kept document of a known form. @param what it is, for a sentence: "The work sheet" @throws Unshowable */
export function kept<T extends TSchema>(text: string, shape: T, what: string): Static<T> {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new Unshowable(what, 'It is no JSON.');
  }
  const fault = faultOf(shape, value);
  if (fault) throw new Unshowable(what, fault.message);
  return value as Static<T>;
}

/** A kept survey, whose figures fit each other. @throws Unshowable */
export function keptSurvey(text: string): SurveyDocument {
  const survey = kept(text, SurveyShape, 'The survey');
  const [problem] = checkSurvey(survey);
  if (problem) throw new Unshowable('The survey', problem.message);
  return survey;
}

/** What `read` gives, or null where it can't be shown; then `unshown` is told why. */
export function orUnshown<T>(unshown: string[], read: () => T): T | null {
  try {
    return read();
  } catch (error) {
    if (!(error instanceof Unshowable)) throw error;
    unshown.push(error.message);
    return null;
  }
}
