export {
  HOLDINGS_FORMAT,
  HoldingsShape,
  HoldingsWithin,
  type HeldFile,
  type HeldFolder,
  type Holdings,
  type VolumeHoldings,
} from './document';
export { accountsOf, type Accounts } from './accounts';
export { checkHoldings, placeHoldings } from './check';
export {
  checkChoices,
  choiceOf,
  ChoicesShape,
  isAt,
  sumOf,
  type Choice,
  type ChoiceSum,
  type VolumePlace,
} from './choice';
export { preparationsOf, PreparationShape, type Preparation } from './preparation';
export { findFreeable, type Freeable, type Movable } from './freeable';
export { readImage, type ImageRead } from './fromImage';
export { ruleOf, type Rule, type Sureness } from './rules';
export { partitionsOf } from './places';
export { HoldingsTree } from './tree';
export {
  cleanupReportsOf,
  CleanupReportShape,
  CleanupReportsShape,
  type CleanupReport,
} from './cleanupReport';
