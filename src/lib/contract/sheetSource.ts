import { Type, type Static } from 'typebox';
import { Drawing } from '$core/drawing';
import { PreparationShape } from '$core/holdings';
import { GoalOptionsShape, WorkshopShape } from '$core/planning';
import { Bytes, closed, Name, oneOfWords, PartitionNumber } from '$core/shapes';
import { Place } from './shapes';

/** A drawing's shape, with the type that the core gives it. */
export const DrawingShape = Type.Unsafe<Drawing>(Drawing);

export const KeepFreePercent = Type.Number({ minimum: 0, maximum: 95 });

/** Question to the planner on a survey, with the tools that it may use. */
const GOAL = {
  disk: PartitionNumber,
  partition: PartitionNumber,
  size: Bytes,
  keepFreePercent: KeepFreePercent,
  options: GoalOptionsShape,
  /** The workshop's own kits, tools and rates that count for it. */
  tools: WorkshopShape,
};

/** Source of a work sheet besides the survey: from both it can be made again, and is the same. */
export const SheetSourceShape = closed({
  ...GOAL,
  drawing: DrawingShape,
  /** Files that go from volumes, or move, before the work; absent where nothing was chosen. */
  first: Type.Optional(Type.Array(PreparationShape, { maxItems: 16 })),
});
export type SheetSource = Static<typeof SheetSourceShape>;
export type PlannedGoal = Omit<SheetSource, 'drawing' | 'first'>;

const RouteOrigin = closed({
  kind: Type.Literal('route'),
  goal: Type.Integer({ minimum: -1, maximum: 1e12 }),
  chosen: Place,
});
const DrawingOrigin = closed({
  kind: Type.Literal('drawing'),
  id: Type.Integer({ minimum: -1, maximum: 1e12 }),
  edition: Place,
  name: Name,
});
/** The route or the drawing that a sheet was made of. */
export type SheetOrigin = Static<typeof RouteOrigin> | Static<typeof DrawingOrigin>;
export const SheetOriginShape = oneOfWords<SheetOrigin>('kind', {
  route: RouteOrigin,
  drawing: DrawingOrigin,
});
