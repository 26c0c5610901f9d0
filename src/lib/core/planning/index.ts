export { planRoutes, clusterLimit, largestSizes, type Planning, type RoutesAnswer } from './answer';
export { breakPoints, effortBySize, type EffortPoint } from './effort';
export {
  taskOf,
  PREFERENCES,
  type GoalOptions,
  type Preference,
  type RoutesRequest,
  type Task,
  type Workshop,
} from './request';
export { criteriaOf, inOrder, theFew, type Pick } from './pick';
export type { Difficulty, Route, Totals } from './route';
export { VERBS, type Creation, type Step, type Verb } from './steps';
export { applyStep, gapsOf, layoutOf, layoutsAlong, type Layout } from './layout';
export { blocksFor, FILE_SYSTEM_NAME } from './blocks';
export { decryptBytes } from './costs';
export { copyTime, DEFAULT_RATES, type Rates, type Seconds } from './rates';
export { isEstimated, KEEP_NOTHING, offlineFloor, runningFloor, spareOf } from './floors';
export {
  canExtend,
  canShrink,
  isEncrypted,
  LIVE_MOVER,
  OFFLINE_MOVER,
  SHIPPED_KITS,
  SHIPPED_TOOLS,
  WINDOWS,
  type Kit,
  type Tool,
} from './tools';
