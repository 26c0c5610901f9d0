export {
  copiers,
  decrypters,
  everyTool,
  extenders,
  floorFor,
  movers,
  shrinkers,
  windowsOf,
  type Able,
} from './abilities';
export { coach, type Hint } from './coach';
export { edited, joined, type Edit } from './edit';
export { follow, type Followed, type Moment } from './follow';
export { drawingOf, intentOf } from './fromRoute';
export { freshId, numberOf, type Drawing, type Drawn, type Intent } from './intent';
export { differences, finished, surveyAt } from './planOn';
export {
  bedsFor,
  HANDLES,
  intentsFor,
  intentsTo,
  reachOf,
  restAt,
  type Handle,
  type Range,
  type Reach,
  type Rest,
} from './reach';
export { resolve, type Resolved } from './resolve';
export { nextNumber, startOf, type State } from './state';
export { wayBack, type WayBack } from './wayBack';
export { offersFor, offersIn, offersOnDisk, type Offer } from './offers';
