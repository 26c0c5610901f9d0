import { Type, type Static } from 'typebox';
import { closed, Bytes, Name } from '../shapes';
import { SURVEY_SCHEMA, type SurveyDocument } from '../survey';
import { RatesShape, ToolShape } from '../tools';

/** In which order routes are answered: the usual way first, least exposure, least copying, or fewest steps. */
export const PREFERENCES = ['usual', 'safe', 'quick', 'few-steps'] as const;
export type Preference = (typeof PREFERENCES)[number];

const ToolId = ToolShape.properties.id;
const Number = Type.Integer({ minimum: 0, maximum: 1_000_000 });
const Numbers = Type.Array(Number, { maxItems: 1024, uniqueItems: true });

/** A workshop's own tools and kits, besides those that ship. */
export const WorkshopShape = closed({
  tools: Type.Optional(Type.Array(ToolShape, { maxItems: 20 })),
  kits: Type.Optional(
    Type.Array(
      closed({
        id: ToolId,
        name: ToolShape.properties.name,
        tools: Type.Array(ToolId, { minItems: 1, maxItems: 8, uniqueItems: true }),
      }),
      { maxItems: 20 },
    ),
  ),
  rates: Type.Optional(RatesShape),
  /** Years that a proposed size should be enough for. */
  years: Type.Optional(Type.Number({ minimum: 0.5, maximum: 10 })),
});
export type Workshop = Static<typeof WorkshopShape>;

/** Options of a goal beyond its size: which kits, who gives, what is allowed. */
export const GoalOptionsShape = closed({
  /** Ids of kits: those that ship, or the workshop's own. Default: those that ship. */
  kits: Type.Optional(Type.Array(Name, { minItems: 1, maxItems: 20 })),
  /** Numbers of partitions that neither move nor change. */
  fixed: Type.Optional(Numbers),
  /** Numbers of those whose deletion the owner allowed. */
  mayDelete: Type.Optional(Numbers),
  /** Numbers of those that may give room. Default: all data volumes. */
  donors: Type.Optional(Numbers),
  /** Bytes that a donor gives exactly, by its number. */
  gives: Type.Optional(
    Type.Unsafe<Record<string, number>>({
      type: 'object',
      maxProperties: 1024,
      propertyNames: { pattern: '^\\d{1,6}$' },
      additionalProperties: Bytes,
    }),
  ),
  /** Places on other disks that files can be copied to meanwhile, with the bytes that are free there. */
  outside: Type.Optional(Type.Array(closed({ name: Name, bytes: Bytes }), { maxItems: 8 })),
  /** A virtual disk may get larger itself. */
  mayEnlargeDisk: Type.Optional(Type.Boolean()),
  /** A FAT volume that has to grow may be converted to NTFS, which nothing takes back. */
  mayConvert: Type.Optional(Type.Boolean()),
  /** A master boot record that holds the target back may be converted to GPT, which nothing takes back. */
  mayConvertTable: Type.Optional(Type.Boolean()),
  /** Numbers of data volumes whose files may go into a folder of the target, so that two volumes become one. */
  mayJoin: Type.Optional(Numbers),
  /** Order of the routes. Default: usual. */
  prefer: Type.Optional(Type.Enum(PREFERENCES)),
});
export type GoalOptions = Static<typeof GoalOptionsShape>;

/** A survey within another document: by reference, so that its schema stands once. */
export const SurveyWithin = Type.Unsafe<SurveyDocument>({ $ref: SURVEY_SCHEMA });

/** Free room that stays in each donor: percent of its size afterwards, or bytes; the larger counts. */
export const KeepFreeShape = closed({
  percent: Type.Optional(Type.Number({ minimum: 0, maximum: 95 })),
  bytes: Type.Optional(Bytes),
});

/** Request to the planner, as it travels (contract, `POST /api/v1/routes`). Sizes in bytes. */
export const RoutesRequestShape = closed({
  survey: SurveyWithin,
  /** Counted from 0, as in the survey. */
  disk: Number,
  /** One of the three: the new total, what is added, or as much as there is. */
  goal: closed({
    partition: Number,
    size: Type.Optional(Bytes),
    grow: Type.Optional(Bytes),
    max: Type.Optional(Type.Boolean()),
  }),
  keepFree: Type.Optional(KeepFreeShape),
  ...GoalOptionsShape.properties,
  workshop: Type.Optional(WorkshopShape),
});
export type RoutesRequest = Static<typeof RoutesRequestShape>;
