import { measureSheet, type MeasuredRun } from '$core/proof';
import { WorkSheetShape, type Tick } from '$core/worksheet';
import { defineTask } from '../../platform/threads/task';
import { loadDocument, loadOrNull } from '../../store/documents/loadDocument';

/** Measurements on sheets; an unreadable one gives none. A hundred sheets are some megabytes to read. */
export const measureTask = defineTask(
  'measure',
  (list: readonly { number: number; document: string; ticks: readonly Tick[] }[]): MeasuredRun[] =>
    list.flatMap(({ number, document, ticks }) => {
      const sheet = loadOrNull([], () => loadDocument(document, WorkSheetShape, 'The work sheet'));
      return sheet ? measureSheet(number, sheet, ticks) : [];
    }),
);
