import { reportPdfTask } from './paper/reportPaper';
import { sheetPdfTask } from './paper/sheetPaper';
import { serveTasks } from './platform/threads/serveTasks';
import { checkBodyTask } from './platform/validation/checkBody';
import { diagnosisTask, planTask, routesTask } from './work/goals/planTasks';
import { makeSheetTask } from './work/goals/sheetSource';
import { readSurveyTask, weighTask } from './work/holdings/weigh';
import { imageKindTask } from './work/images/readKind';
import { surveyImageTask } from './work/images/surveyImage';
import { checkImportTask } from './work/jobFile/checkImport';
import { packJobTask } from './work/jobFile/pack';
import { measureTask } from './work/sheets/measure';

/** The entry of the threads beside the server's own: all that they can do. */
serveTasks([
  checkBodyTask,
  routesTask,
  planTask,
  diagnosisTask,
  readSurveyTask,
  weighTask,
  makeSheetTask,
  measureTask,
  sheetPdfTask,
  reportPdfTask,
  checkImportTask,
  packJobTask,
  imageKindTask,
  surveyImageTask,
]);
