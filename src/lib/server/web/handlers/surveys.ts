import { refuse } from '$contract/problems';
import type { SURVEYS } from '$contract/surveys';
import { failure, success, under, type Outcome } from '$core/problem';
import { csvOf, type SurveyDocument } from '$core/survey';
import { runInWorker } from '../../platform/threads/runInWorker';
import { readHoldingsDocument, saveChoices, saveHoldings, weighed } from '../../work/holdings/holdings';
import { readSurveyTask } from '../../work/holdings/weigh';
import { findJob } from '../../work/jobs/findJob';
import { saveSurvey } from '../../work/surveys/saveSurvey';
import { findSurvey, listSurveys } from '../../work/surveys/surveys';
import { saveTarget } from '../../work/surveys/target';
import type { HandlersOf } from '../runner/endpoint';
import { answerSaved } from './savedJob';
import { surveyImageAsLines } from './surveyImage';

/** The newest survey of a job. */
async function newestSurvey(number: number): Promise<Outcome<SurveyDocument>> {
  const job = await findJob(number, ['survey']);
  if (!job) return refuse('no-job', { number });
  return job.survey ? success(job.survey.document) : refuse('no-survey-yet', { job: number });
}

/** Known contents of the newest survey's volumes, for the next one to take over. */
async function earlierHoldings(number: number) {
  const job = await findJob(number, ['holdings']);
  const document = job?.surveyId && job.holdings ? await readHoldingsDocument(job.surveyId) : null;
  return document ? { document, choices: job!.holdings!.choices } : null;
}

export const SURVEY_HANDLERS = {
  'GET /jobs/{number}/survey': ({ params }) => newestSurvey(params.number),
  'PUT /jobs/{number}/survey': {
    onBytes: async (bytes, { params: { number } }) => {
      const read = await runInWorker(readSurveyTask, { bytes, earlier: await earlierHoldings(number) });
      if (!read.ok) return read;
      const { version, survey, source, holdings, choices } = read.value;
      return answerSaved(number, saveSurvey(number, version, survey, source, { holdings, choices }));
    },
  },
  'GET /jobs/{number}/surveys': async ({ params }) => success(await listSurveys(params.number)),
  'GET /jobs/{number}/surveys/{id}': async ({ params: { number, id }, typed }) => {
    const survey = await findSurvey(number, id);
    return survey ? success(survey) : refuse('no-survey', { job: number, id: typed.id });
  },
  'GET /jobs/{number}/survey.csv': async ({ params }) => {
    const survey = await newestSurvey(params.number);
    if (!survey.ok) return survey;
    const headers = { 'content-type': 'text/csv; charset=utf-8; header=present' };
    return success(new Response(csvOf(survey.value), { headers }));
  },
  'POST /jobs/{number}/survey-image': ({ params, body }) => surveyImageAsLines(params.number, body),
  'GET /jobs/{number}/holdings': async ({ params: { number } }) => {
    const job = await findJob(number, []);
    const document = job?.surveyId ? await readHoldingsDocument(job.surveyId) : null;
    return document
      ? success(new Response(document, { headers: { 'content-type': 'application/json' } }))
      : refuse('no-holdings-yet', { job: number });
  },
  'PUT /jobs/{number}/holdings': async ({ params: { number }, body: { version, holdings } }) => {
    const job = await findJob(number, ['survey']);
    if (!job?.survey) return refuse('survey-first', { then: 'then what fills it' });
    const found = await weighed(job.survey.document, holdings);
    if (!found.ok) return failure(...under('/holdings', found.problems));
    return answerSaved(number, saveHoldings(number, version, job.survey.id, found.value));
  },
  'PUT /jobs/{number}/choices': async ({ params: { number }, body: { version, choices } }) => {
    const job = await findJob(number, ['survey', 'holdings']);
    return job ? answerSaved(number, saveChoices(job, version, choices)) : refuse('no-job', { number });
  },
  'PUT /jobs/{number}/target': ({ params: { number }, body: { version, disk, partition } }) =>
    answerSaved(number, saveTarget(number, version, { disk, partition })),
} satisfies HandlersOf<typeof SURVEYS>;
