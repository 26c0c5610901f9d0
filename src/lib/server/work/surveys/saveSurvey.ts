import type { SurveySource } from '$contract/surveys';
import type { Choice } from '$core/holdings';
import { unwrap, type Outcome } from '$core/problem';
import type { SurveyDocument } from '$core/survey';
import { insertHoldings } from '../holdings/holdings';
import type { Weighed } from '../holdings/weigh';
import { withJobVersion } from '../version/jobVersion';
import { insertSurvey } from './insertSurvey';
import { proposeTarget, setTarget } from './target';

const SOURCE_WORD: Record<SurveySource, string> = {
  document: 'as a document',
  image: 'from an image',
  hand: 'by hand',
};

/**
 * Keeps the survey, with what fills its volumes where that is known, and chooses its target: the Windows volume, else
 * none.
 */
export async function saveSurvey(
  number: number,
  version: number,
  survey: SurveyDocument,
  source: SurveySource,
  {
    image = null,
    holdings = null,
    choices = [],
  }: { image?: string | null; holdings?: Weighed | null; choices?: readonly Choice[] } = {},
): Promise<Outcome<number>> {
  return withJobVersion(number, version, async (db, id) => {
    const surveyId = await insertSurvey(db, id, survey, source, 'found', { image });
    if (holdings) await insertHoldings(db, surveyId, holdings, choices);
    unwrap(await setTarget(db, id, survey, proposeTarget(survey)));
    const from = image === null ? SOURCE_WORD[source] : `from ${image} on the server`;
    return `Survey of ${survey.takenAt} given (${from}${holdings ? ', with what fills its volumes' : ''}).`;
  });
}
