export { diskNow } from './diskNow';
export { type Able } from './abilities';
export { findBootRepairs, startCheck } from './boot';
export { creationOf, listCreationValues } from './creation';
export { extenders } from './extend';
export { gapsOf, layoutOf, nextNumber, findPartitionNow, type Layout, type OutsidePlace } from './layout';
export { listJoinChecks, nameFolder, joinRoom } from './join';
export { movers } from './move';
export { copyOf, findPartition, joinNames, sourceOf, stepPartition } from './names';
export { IntentShape, findModule, moduleOf, StepShape, VERBS } from './registry';
export {
  applyStep,
  executeIntent,
  executeIntents,
  computeLayouts,
  resolve,
  type ExecutedIntent,
  type ExecutedIntents,
} from './run';
export { findFloor, findShrinkers } from './shrink';
export {
  numberOf,
  type Creation,
  type Intent,
  type IntentOf,
  type PricedStep,
  type Step,
  type StepOf,
  type Verb,
} from './step';
export { countUsedAsLeft } from './usedAsLeft';
export { FigureShape, type Figure, type StepContext, type OnSheet, type StepWords, type Terms } from './verb';
