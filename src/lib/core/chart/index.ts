export { shareWidth, type ScaleKind } from './scale';
export { findExtent, isBeyondTable, stripOf, type Basin, type StripOptions } from './strip';
export {
  computeBands,
  drawFlow,
  heightOf,
  drawOneStrip,
  stripsOf,
  type Band,
  type Strip,
  type TideOptions,
} from './tide';
export { drawDensity } from './density';
export { drawWater, type Box } from './water';
export { DIRECTIONS, findFirstSpot, walk, type Direction, type Spot } from './walk';
export { axisOf, type Axis } from './axis';
export { keepStrips } from './point';
export { stackStrata, walkStrata, type Stratum } from './strata';
