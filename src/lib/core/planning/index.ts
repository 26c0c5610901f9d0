export { findLargestSizes, planRoutes, RoutesAnswerShape, type Planning, type RoutesAnswer } from './answer';
export { makeBlocks, CONVERT, isConvertible, NOT_TO_BE_GONE_BY } from './blocks';
export { beats, CRITERIA, criteriaOf, CRITERION_KEYS, type Criteria, type CriterionKey } from './criteria';
export { breakPoints, computeEffortBySize, type EffortPoint } from './effort';
export { evaluate } from './evaluate';
export { isJoinedBy, type JoinPattern } from './joining';
export { chooseHighlights, inOrder, others, type Highlight, type Reason } from './order';
export {
  GoalOptionsShape,
  KeepFreeShape,
  RoutesRequestShape,
  SurveyWithin,
  WorkshopShape,
  type GoalOptions,
  type Preference,
  type RoutesRequest,
  type Workshop,
} from './request';
export { DIFFICULTIES, routeOf, RouteShape, type Route, type Totals } from './route';
export { taskOf, type Task } from './task';
export { isBootedFrom } from './usual';
