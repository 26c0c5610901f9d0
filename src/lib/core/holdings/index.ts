export {
  HOLDINGS_FORMAT,
  HoldingsShape,
  type HeldFile,
  type HeldFolder,
  type Holdings,
  type VolumeHoldings,
} from './document';
export { accountsOf, type Accounts } from './accounts';
export { checkHoldings, placedIn } from './check';
export { ChoiceShape, NOTHING_CHOSEN, sumOf, type Choice, type Sum } from './choice';
export { freeableIn, type Freeable, type Movable } from './freeable';
export { readImage, type ImageRead } from './fromImage';
export { ruleOf, type Rule, type Sureness } from './rules';
export { HoldingsTree } from './tree';
export { foundIn, FoundShape, FoundsShape, type Found } from './found';
