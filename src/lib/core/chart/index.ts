export type { ScaleKind } from './scale';
export { stripOf, type Basin, type StripOptions } from './strip';
export { tideChart, twoStrips, type Band, type Strip, type TideChart, type TideOptions } from './tide';
export { densityPath } from './density';
export { waterPath, type Box } from './water';
export { firstSpot, walk, type Direction, type Spot } from './walk';
