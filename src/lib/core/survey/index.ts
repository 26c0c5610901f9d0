export {
  SURVEY_SCHEMA,
  SurveyShape,
  type SurveyDisk,
  type SurveyDocument,
  type SurveyMachine,
  type SurveyPartition,
  type SurveyVolume,
} from './document';
export { checkSurvey } from './check';
export { machineOf, type Machine, type Place } from './machine';
export { withWindowsNamed } from './whichWindows';
export { surveyFromImage, type ImageOptions, type ImageProgress } from './fromImage';
export { isSurveyText, MAX_TEXT, surveyFromText, TEXT_WAY_NAMES } from './fromText';
export { csvOf } from './csv';
export { compareSurveys, pairName, type SurveyChange, type Comparison, type DiskPair } from './compare';
export { listExactFigures, exactTextOf, type ExactFigure } from './exact';
