export { enoughFor, fairShare, UPGRADE, USUAL_YEARS, type FairShare, type Sharer } from './enough';
export { fullRange, growthOf, YEAR, yearsUntilFull, type FullRange, type Growth } from './growth';
export { DAY, theilSen, type Line, type Point } from './line';
export { proposalsFor, type DatedFilling, type Proposals } from './proposals';
