export { diskNow } from './diskNow';
export { type Able } from './abilities';
export { bootRepairs, startCheck } from './boot';
export { creationOf, creationValues } from './creation';
export { extenders } from './extend';
export { gapsOf, layoutOf, nextNumber, partitionNow, type Layout, type OutsidePlace } from './layout';
export { checksOfJoin, folderFor, joinRoom } from './join';
export { movers } from './move';
export { copyOf, foundPartition, inARow, sourceOf, stepPartition } from './names';
export { IntentShape, moduleFor, moduleOf, StepShape, VERBS } from './registry';
export {
  applyStep,
  executeIntent,
  executeIntents,
  layoutsAlong,
  resolve,
  type ExecutedIntent,
  type ExecutedIntents,
} from './run';
export { floorFor, shrinkers } from './shrink';
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
export { usedAsLeft } from './usedAsLeft';
export { FigureShape, type Figure, type StepContext, type OnSheet, type StepWords, type Terms } from './verb';
