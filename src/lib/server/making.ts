import { Type, type Static } from 'typebox';
import { Drawing } from '$core/drawing';
import { FirstShape } from '$core/holdings';
import { ontoDisk } from '$core/newDisk';
import { GoalOptionsShape, taskOf, WorkshopShape, type RoutesRequest } from '$core/planning';
import type { Outcome } from '$core/problem';
import { Bytes, closed, PartitionNumber } from '$core/shapes';
import { machineOf, type SurveyDocument } from '$core/survey';
import { makeSheet, type WorkSheet } from '$core/worksheet';

export const KeepFreePercent = Type.Number({ minimum: 0, maximum: 95 });

const ASKED = {
  disk: PartitionNumber,
  partition: PartitionNumber,
  size: Bytes,
  keepFreePercent: KeepFreePercent,
  options: GoalOptionsShape,
  /** The workshop's own kits, tools and rates that count for it. */
  tools: WorkshopShape,
};
/** What is asked of the planner on a survey, with the tools that it may use. */
export type Asking = Omit<Making, 'drawing' | 'first'>;

/** What a work sheet is made of besides the survey: from both it can be made again, and is the same. */
export const MakingShape = closed({
  ...ASKED,
  drawing: Drawing,
  /** What goes from volumes, or moves, before the work; absent where nothing was chosen. */
  first: Type.Optional(Type.Array(FirstShape, { maxItems: 16 })),
});
export type Making = Omit<Static<typeof MakingShape>, 'drawing'> & { drawing: Drawing };

/** The planner's request for it. */
export const requestFor = (survey: SurveyDocument, asked: Asking): RoutesRequest => ({
  survey,
  disk: asked.disk,
  goal: { partition: asked.partition, size: asked.size },
  keepFree: { percent: asked.keepFreePercent },
  workshop: asked.tools,
  ...asked.options,
});

/** Makes a sheet. Problem codes: those of the planner and of the work sheet. */
export function sheetFrom({
  survey,
  making,
}: {
  survey: SurveyDocument;
  making: Making;
}): Outcome<WorkSheet> {
  const { drawing, first } = making;
  const task = taskOf(machineOf(survey), { ...requestFor(survey, making), kits: [drawing.kit] });
  const { onto } = drawing;
  const asked = task.ok && onto !== undefined ? ontoDisk(task.value, onto) : task;
  return asked.ok ? makeSheet(asked.value, asked.value.kits[0]!, drawing, first) : asked;
}
