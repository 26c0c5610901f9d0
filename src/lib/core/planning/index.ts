export { clusterLimit, largestSizes, planRoutes, type Planning, type RoutesAnswer } from './answer';
export { blocksFor, FILE_SYSTEM_NAME } from './blocks';
export { beats, CRITERIA, type Criteria, type CriterionKey } from './criteria';
export { breakPoints, effortBySize, type EffortPoint } from './effort';
export { evaluate } from './evaluate';
export { criteriaOf, highlights, inOrder, type Highlight, type Reason } from './order';
export { PREFERENCES, type GoalOptions, type Preference, type RoutesRequest, type Workshop } from './request';
export { routeOf, type Difficulty, type Route, type Totals } from './route';
export { taskOf, type Task } from './task';
