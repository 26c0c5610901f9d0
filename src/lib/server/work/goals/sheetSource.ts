import type { PlannedGoal, SheetSource } from '$contract/sheetSource';
import { planOntoDisk } from '$core/newDisk';
import { taskOf, type RoutesRequest } from '$core/planning';
import type { Outcome } from '$core/problem';
import { machineOf, type SurveyDocument } from '$core/survey';
import { makeSheet, type WorkSheet } from '$core/worksheet';
import { defineTask } from '../../platform/threads/task';

/** The planner's request for it. */
export const requestFor = (survey: SurveyDocument, asked: PlannedGoal): RoutesRequest => ({
  survey,
  disk: asked.disk,
  goal: { partition: asked.partition, size: asked.size },
  keepFree: { percent: asked.keepFreePercent },
  workshop: asked.tools,
  ...asked.options,
});

/** Makes a sheet. Problem codes: those of the planner and of the work sheet. */
export function remakeSheet({
  survey,
  source,
}: {
  survey: SurveyDocument;
  source: SheetSource;
}): Outcome<WorkSheet> {
  const { drawing, first } = source;
  const task = taskOf(machineOf(survey), { ...requestFor(survey, source), kits: [drawing.kit] });
  const { onto } = drawing;
  const asked = task.ok && onto !== undefined ? planOntoDisk(task.value, onto) : task;
  return asked.ok ? makeSheet(asked.value, asked.value.kits[0]!, drawing, first) : asked;
}

export const makeSheetTask = defineTask('makeSheet', remakeSheet);
