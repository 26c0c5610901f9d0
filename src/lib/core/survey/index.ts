export type * from './types';
export { checkSurvey } from './check';
export { machineOf, type Machine } from './machine';
export { surveyFromImage, type ImageOptions, type ImageProgress } from './fromImage';
export { isLsblk, surveyFromLsblk } from './fromLsblk';
