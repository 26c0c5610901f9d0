export { shareWidth, type ScaleKind } from './scale';
export { extentAt, isBeyondTable, stripOf, type Basin, type StripOptions } from './strip';
export {
  bandsBetween,
  flowPath,
  heightOf,
  oneStrip,
  stripsOf,
  type Band,
  type Strip,
  type TideOptions,
} from './tide';
export { densityPath } from './density';
export { waterPath, type Box } from './water';
export { DIRECTIONS, firstSpot, walk, type Direction, type Spot } from './walk';
export { axisOf, type Axis } from './axis';
export { keptStrips } from './point';
export { stackStrata, walkStrata, type Stratum } from './strata';
