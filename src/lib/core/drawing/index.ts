export { Drawing, createStepId, type PlannedStep } from './drawing';
export { applyEdit, joined, type Edit } from './edit';
export { follow, type Followed, type StepResult } from './follow';
export { drawingOf } from './fromRoute';
export { lint, type Hint } from './lint';
export { listOffers, listOffersInGap, listOffersOnDisk, type Offer } from './offers';
export { finished, surveyAt } from './planOn';
export {
  HANDLES,
  makeIntents,
  makeIntentsTo,
  reachOf,
  findRest,
  type Handle,
  type Range,
  type Reach,
  type Rest,
} from './reach';
export { planWayBack, type WayBack } from './wayBack';
