import { Type, type Static } from 'typebox';
import { DiagnosisRequestShape, DiagnosisShape } from '$core/diagnosis';
import { GoalOptionsShape, RoutesAnswerShape, RoutesRequestShape } from '$core/planning';
import { Bytes, closed } from '$core/shapes';
import { GIB } from '$core/units';
import { document, endpoint } from './endpoint';
import { SURVEY } from './examples';
import { KeepFreePercent } from './sheetSource';
import { Id, Number16, Saved, Version } from './shapes';

/** Diagnosis, goal and routes. */

export const RoutesRequestFile = document('routes-request', RoutesRequestShape, {
  survey: SURVEY,
  disk: 0,
  goal: { partition: 1, grow: 40 * GIB },
});
export const RoutesAnswerFile = document('routes-answer', RoutesAnswerShape);
export const DiagnosisRequestFile = document('diagnosis-request', DiagnosisRequestShape, {
  survey: SURVEY,
  disk: 0,
  partition: 1,
});
export const DiagnosisFile = document('diagnosis', DiagnosisShape);

export const GoalShape = closed({
  id: Id,
  disk: Number16,
  partition: Number16,
  /** Bytes, the new total. */
  size: Bytes,
  keepFreePercent: KeepFreePercent,
  options: GoalOptionsShape,
  stale: Type.Boolean({ description: 'a newer survey, another target, or other tools or rates came since' }),
});
export type Goal = Static<typeof GoalShape>;

const SaveGoal = document(
  'save-goal',
  closed({
    version: Version,
    size: Bytes,
    keepFreePercent: Type.Optional(KeepFreePercent),
    options: Type.Optional(GoalOptionsShape),
    /** The planner's answer in a browser. It is not kept: the server plans itself. */
    answer: Type.Optional(RoutesAnswerShape),
  }),
  { version: 1, size: 140 * GIB, keepFreePercent: 10, options: { prefer: 'usual' } },
);
const ChooseRoute = document('choose-route', closed({ version: Version, chosen: Number16 }), {
  version: 1,
  chosen: 0,
});

export const GOALS = {
  'POST /diagnosis': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    summary: 'Why a partition cannot simply grow, and what could be done',
    body: DiagnosisRequestFile,
    gives: 'The diagnosis',
    answer: DiagnosisFile,
  }),
  'POST /routes': endpoint({
    need: 'reader',
    scope: 'jobs:read',
    summary: 'Routes that reach a goal',
    body: RoutesRequestFile,
    gives: 'The routes, or the findings that say why there is none',
    answer: RoutesAnswerFile,
  }),
  'PUT /jobs/{number}/goal': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Ask for a size; the routes are planned and kept with it',
    body: SaveGoal,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'survey-first', 'target-first'],
  }),
  'PUT /jobs/{number}/route': endpoint({
    need: 'technician',
    scope: 'jobs:write',
    job: true,
    summary: 'Choose one of the routes found',
    body: ChooseRoute,
    gives: 'Saved',
    answer: Saved,
    errors: ['stale-job', 'no-route-there'],
  }),
};
