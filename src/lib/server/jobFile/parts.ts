import { Type, type Static } from 'typebox';
import { BenchProofShape } from '$core/bench';
import { Drawing } from '$core/drawing';
import { ChoicesShape, HoldingsWithin } from '$core/holdings';
import { GoalOptionsShape, RoutesAnswerShape, SurveyWithin, WorkshopShape } from '$core/planning';
import { FileProofShape, LayoutProofShape } from '$core/proof';
import { closed, Bytes, Name, oneOfWords, orNull, PartitionNumber, Text } from '$core/shapes';
import { TickShape, WorkSheetShape } from '$core/worksheet';
import { KeepFreePercent, MakingShape, type Making } from '../making';

export const SURVEY_SOURCES = ['document', 'image', 'hand'] as const;
export type SurveySource = (typeof SURVEY_SOURCES)[number];
/** What a survey was taken for: to plan on it, or to prove what was left. */
const PURPOSES = ['found', 'left'] as const;
export type Purpose = (typeof PURPOSES)[number];
const Place = Type.Integer({ minimum: 0, maximum: 1_000_000 });
const Moment = Type.String({ format: 'date-time' });

/** What is written about a job. */
export const DETAILS = {
  customer: Name,
  machine: Name,
  notes: Type.String({ maxLength: 20_000 }),
  due: orNull(Type.String({ format: 'date' })),
};
/** A drawing with all that can be taken back. */
export const DrawingStates = closed({
  name: Name,
  states: Type.Array(Drawing, { minItems: 1, maxItems: 2000 }),
  position: Place,
});
export const Told = Type.Array(Text, { maxItems: 1000, description: 'keys of advice not to be given again' });

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
/** What a sheet was made of. */
export type Origin = Static<typeof RouteOrigin> | Static<typeof DrawingOrigin>;

const LayoutProofPart = closed({
  kind: Type.Literal('layout'),
  survey: Place,
  createdAt: Moment,
  document: LayoutProofShape,
});
const FileProofPart = closed({
  kind: Type.Literal('files'),
  survey: Type.Null(),
  createdAt: Moment,
  document: FileProofShape,
});

export type ProofPart = Static<typeof LayoutProofPart> | Static<typeof FileProofPart>;

/** What is in a job's file besides its contents, part by part. References are by place in their lists; -1: it is gone. */
export const JobPartsShape = closed({
  'job.json': closed({
    number: Type.Integer({ minimum: 0, maximum: 2 ** 32 - 1 }),
    ...DETAILS,
    createdAt: Moment,
    target: orNull(closed({ disk: PartitionNumber, partition: PartitionNumber })),
  }),
  'surveys.json': Type.Array(
    closed({
      source: Type.Enum(SURVEY_SOURCES),
      purpose: Type.Enum(PURPOSES),
      createdAt: Moment,
      document: SurveyWithin,
    }),
    { maxItems: 200 },
  ),
  /** What fills the volumes of the newest survey, and what of it was chosen to go. */
  'holdings.json': Type.Array(closed({ survey: Place, document: HoldingsWithin, choices: ChoicesShape }), {
    maxItems: 1,
  }),
  'goals.json': Type.Array(
    closed({
      survey: Place,
      disk: PartitionNumber,
      partition: PartitionNumber,
      size: Bytes,
      keepFreePercent: KeepFreePercent,
      options: GoalOptionsShape,
      toolsPrint: orNull(Text),
      /** Own kits, tools and rates that it was planned with; absent in files from before they were kept. */
      tools: Type.Optional(orNull(WorkshopShape)),
      createdAt: Moment,
      answer: RoutesAnswerShape,
      chosen: Place,
    }),
    { maxItems: 200 },
  ),
  'drawings.json': Type.Array(closed({ survey: Place, ...DrawingStates.properties, told: Told }), {
    maxItems: 200,
  }),
  'sheets.json': Type.Array(
    closed({
      survey: Place,
      origin: oneOfWords<Origin>('kind', { route: RouteOrigin, drawing: DrawingOrigin }),
      document: WorkSheetShape,
      /** What it was made of; absent in files from before that was kept. */
      madeOf: Type.Optional(Type.Unsafe<Making | null>(orNull(MakingShape))),
      createdAt: Moment,
      ticks: Type.Array(TickShape, { maxItems: 5000 }),
      proofs: Type.Array(
        oneOfWords<ProofPart>('kind', {
          layout: LayoutProofPart,
          files: FileProofPart,
        }),
        { maxItems: 200 },
      ),
    }),
    { maxItems: 200 },
  ),
  /** Those that ended, with what they proved: the only ones that mean something elsewhere. */
  'rehearsals.json': Type.Array(
    closed({
      goal: Place,
      chosen: Place,
      proof: BenchProofShape,
      who: Type.String({ maxLength: 100 }),
      createdAt: Moment,
      endedAt: Moment,
    }),
    { maxItems: 200 },
  ),
  'history.json': Type.Array(
    closed({
      at: Moment,
      who: Type.String({ maxLength: 1000 }),
      what: Type.String({ maxLength: 10_000 }),
      seal: Text,
      kind: Type.Optional(Type.Enum(['here', 'elsewhere', 'plain'])),
    }),
    { maxItems: 10_000 },
  ),
});
export type DrawingPart = JobParts['drawings.json'][number];
export type JobParts = Static<typeof JobPartsShape>;
/** Parts that files have from a version of the format on; before that they are empty. */
export const SINCE: { [P in keyof JobParts]?: number } = {
  'rehearsals.json': 3,
  'holdings.json': 4,
};
export const PARTS = Object.keys(JobPartsShape.properties) as readonly (keyof JobParts)[];
