import { Type, type Static } from 'typebox';
import { ExecutionProofShape } from '$core/executor';
import { ChoicesShape } from '$core/holdings';
import { GoalOptionsShape, RoutesAnswerShape, WorkshopShape } from '$core/planning';
import { FileProofShape, LayoutProofShape } from '$core/proof';
import { Bytes, closed, oneOfWords, orNull, PartitionNumber, Text } from '$core/shapes';
import { TickShape, WorkSheetShape } from '$core/worksheet';
import { DrawingStates, Told } from './drawings';
import { document, within } from './endpoint';
import { DETAILS } from './jobs';
import { JobNumber, Moment, Place } from './shapes';
import { KeepFreePercent, SheetOriginShape, SheetSourceShape, type SheetSource } from './sheetSource';
import { HoldingsFile, SURVEY_PURPOSES, SURVEY_SOURCES, SurveyFile } from './surveys';

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

/**
 * What is in a job's file besides its contents, part by part. References are by place in their lists; -1: it is gone.
 */
const JobPartsShape = closed({
  'job.json': closed({
    number: JobNumber,
    ...DETAILS,
    createdAt: Moment,
    target: orNull(closed({ disk: PartitionNumber, partition: PartitionNumber })),
  }),
  'surveys.json': Type.Array(
    closed({
      source: Type.Enum(SURVEY_SOURCES),
      purpose: Type.Enum(SURVEY_PURPOSES),
      createdAt: Moment,
      document: within(SurveyFile),
    }),
    { maxItems: 200 },
  ),
  /** Contents of the newest survey's volumes, with the choice of what goes. */
  'holdings.json': Type.Array(
    closed({ survey: Place, document: within(HoldingsFile), choices: ChoicesShape }),
    {
      maxItems: 1,
    },
  ),
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
      origin: SheetOriginShape,
      document: WorkSheetShape,
      /** Its source; absent in files of releases that did not keep it. */
      madeOf: Type.Optional(Type.Unsafe<SheetSource | null>(orNull(SheetSourceShape))),
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
      proof: ExecutionProofShape,
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
export const JobPartsFile = document('job-parts', JobPartsShape);
export type DrawingPart = JobParts['drawings.json'][number];
export type JobParts = Static<typeof JobPartsShape>;
/** Parts that files have from a version of the format on; before that they are empty. */
export const SINCE: { [P in keyof JobParts]?: number } = {
  'rehearsals.json': 3,
  'holdings.json': 4,
};
export const PARTS = Object.keys(JobPartsShape.properties) as readonly (keyof JobParts)[];
