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
export { applyFully, applyStep, gapsOf, layoutOf, layoutsAlong, type Layout } from './layout';
export { blocksFor, FILE_SYSTEM_NAME } from './blocks';
export { decryptBytes, moveBytes, usedBeyond } from './costs';
export { judge } from './criteria';
export { bootRepair, creationOf, type BareStep, type Choice } from './search/materialize';
export { canAside, recoveryBehind, recoveryInUse } from './recovery';
export { routeOf } from './route';
export { inARow, sourceOf, stepPartition } from './wording';
export { addTimes, copyTime, DEFAULT_RATES, NO_TIME, timesOver, type Rates, type Seconds } from './rates';
export { donorBound, isEstimated, KEEP_NOTHING, margin, offlineFloor, runningFloor, spareOf } from './floors';
export {
  canCopy,
  canDecrypt,
  canExtend,
  canMove,
  canShrink,
  isEncrypted,
  isLocked,
  movesAtRestart,
  LIVE_MOVER,
  OFFLINE_MOVER,
  SHIPPED_KITS,
  SHIPPED_TOOLS,
  WINDOWS,
  type Kit,
  type Tool,
} from './tools';
