import type { Static, TSchema } from 'typebox';
import { checkSurvey, SurveyShape, type SurveyDocument } from '$core/survey';
import { faultOf } from '../../platform/validation/schemas';

/** A document of the database that can't be read: it was written by another release, or by hand. */
export class UnreadableDocument extends Error {
  constructor(what: string, why: string) {
    super(`${what} can’t be shown: ${why}`);
  }
}

/**
 * A document of a known form, out of the database. @param what it is, for a sentence: "The work sheet" @throws
 * UnreadableDocument
 */
export function loadDocument<T extends TSchema>(text: string, shape: T, what: string): Static<T> {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new UnreadableDocument(what, 'It is no JSON.');
  }
  const fault = faultOf(shape, value);
  if (fault) throw new UnreadableDocument(what, fault.message);
  return value as Static<T>;
}

/** A survey out of the database, whose figures fit each other. @throws UnreadableDocument */
export function loadSurvey(text: string): SurveyDocument {
  const survey = loadDocument(text, SurveyShape, 'The survey');
  const [problem] = checkSurvey(survey);
  if (problem) throw new UnreadableDocument('The survey', problem.message);
  return survey;
}

/** Result of `load`, or null where it can't be read; the reason is added to `reasons`. */
export function loadOrNull<T>(reasons: string[], load: () => T): T | null {
  try {
    return load();
  } catch (error) {
    if (!(error instanceof UnreadableDocument)) throw error;
    reasons.push(error.message);
    return null;
  }
}
