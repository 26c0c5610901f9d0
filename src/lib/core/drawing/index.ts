export { Drawing, freshId, type PlannedStep } from './drawing';
export { edited, joined, type Edit } from './edit';
export { follow, type Followed, type StepResult } from './follow';
export { drawingOf } from './fromRoute';
export { lint, type Hint } from './lint';
export { offersFor, offersIn, offersOnDisk, type Offer } from './offers';
export { finished, surveyAt } from './planOn';
export {
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
export { wayBack, type WayBack } from './wayBack';
