export { type Figure } from '../steps';
export { makeSheet } from './makeSheet';
export { toMarkdown } from './markdown';
export {
  itemsOf,
  progressOf,
  tickProblem,
  TickShape,
  findBlockingItem,
  type Item,
  type Progress,
  type Tick,
} from './progress';
export {
  stepsOf,
  type Check,
  type LinePiece,
  type Promised,
  type PromisedPartition,
  type SheetRun,
  type Script,
  type SheetDisk,
  type SheetStep,
  WorkSheetShape,
  type WorkSheet,
} from './sheet';
export { drawStripPicture } from './stripPicture';
