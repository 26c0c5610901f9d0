/** The JSON Schemas of drawings: intents, steps, states (`$core/drawing`). */

const number = { type: 'integer', minimum: 0, maximum: 1_000_000 } as const;
const sector = { type: 'integer', minimum: 0, maximum: Number.MAX_SAFE_INTEGER } as const;
const text = { type: 'string', maxLength: 200 } as const;
const name = { type: 'string', minLength: 1, maxLength: 200, pattern: '\\S' } as const;
const extent = {
  type: 'object',
  required: ['first', 'sectors'],
  properties: { first: sector, sectors: { ...sector, minimum: 1 } },
  additionalProperties: false,
} as const;
const creation = {
  type: 'object',
  required: ['type', 'attributes', 'name', 'fileSystem', 'clusterSize', 'label'],
  properties: {
    type: text,
    attributes: text,
    name: text,
    fileSystem: { enum: ['ntfs', 'refs', 'fat32', 'fat16', 'exfat', 'encrypted', 'unknown'] },
    clusterSize: { type: 'integer', minimum: 0, maximum: 2 ** 26 },
    label: text,
  },
} as const;

/** For every verb, what an intent holds besides it. */
const INTENTS: readonly [readonly string[], Record<string, object>][] = [
  [['shrink', 'extend', 'put-back'], { partition: number, to: extent }],
  [['move'], { partition: number, first: sector }],
  [['delete'], { partition: number, word: text }],
  [['create'], { partition: number, to: extent, create: creation }],
  [
    ['copy'],
    {
      partition: number,
      into: {
        type: 'object',
        properties: { partition: number, outside: name },
        minProperties: 1,
        maxProperties: 1,
        additionalProperties: false,
      },
    },
  ],
  [['copy-back'], { partition: number, of: number, fromOutside: name }],
  [['set-aside', 'decrypt'], { partition: number }],
  [['relocate-table'], {}],
  [['enlarge-disk'], { diskSectors: sector }],
];

const verbs = INTENTS.flatMap(([some]) => some);
const intent = {
  type: 'object',
  required: ['verb'],
  properties: { verb: { enum: verbs } },
  allOf: INTENTS.map(([some, properties]) => ({
    if: { properties: { verb: { enum: some } } },
    then: { required: Object.keys(properties), properties },
  })),
} as const;

const drawing = {
  type: 'object',
  required: ['kit', 'steps'],
  properties: {
    kit: name,
    steps: {
      type: 'array',
      maxItems: 200,
      items: {
        type: 'object',
        required: ['id', 'intent', 'tool', 'off'],
        properties: {
          id: { type: 'string', minLength: 1, maxLength: 20 },
          intent,
          tool: { type: ['string', 'null'], maxLength: 60 },
          off: { type: 'boolean' },
        },
        additionalProperties: false,
      },
    },
  },
  additionalProperties: false,
} as const;

const place = { type: 'integer', minimum: 0, maximum: 1_000_000 } as const;

export const newDrawingSchema = {
  $id: '/schemas/new-drawing.json',
  type: 'object',
  required: ['name', 'states', 'position'],
  properties: {
    name,
    states: { type: 'array', minItems: 1, maxItems: 2000, items: drawing },
    position: place,
  },
} as const;

export const drawingSaveSchema = {
  $id: '/schemas/save-drawing.json',
  type: 'object',
  required: ['edition', 'keep', 'add', 'position'],
  properties: {
    edition: { type: 'integer', minimum: 1, description: 'the edition that the change was made on' },
    keep: { ...place, description: 'how many states stay, from the first' },
    add: { type: 'array', maxItems: 2000, items: drawing },
    position: { ...place, description: 'which state is the present one' },
    name,
    told: { type: 'array', maxItems: 1000, items: text, description: 'keys of advice not to be given again' },
  },
} as const;
