export { computeEnough, computeFairShare, UPGRADE, USUAL_YEARS, type FairShare, type Sharer } from './enough';
export { fullRange, growthOf, YEAR, computeYearsUntilFull, type FullRange, type Growth } from './growth';
export { DAY, theilSen, type Line, type Point } from './line';
export { listProposals, type DatedFilling, type Proposals } from './proposals';
