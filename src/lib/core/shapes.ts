import { Type, type Static, type TProperties, type TSchema } from 'typebox';

/** Shapes that documents of this product share: each is type and JSON Schema in one. */
export const Bytes = Type.Integer({ minimum: 0, maximum: Number.MAX_SAFE_INTEGER });
export const Sector = Type.Integer({ minimum: 0, maximum: Number.MAX_SAFE_INTEGER });
export const PartitionNumber = Type.Integer({ minimum: 0, maximum: 1_000_000 });
export const Text = Type.String({ maxLength: 200 });
export const Name = Type.String({ minLength: 1, maxLength: 200, pattern: '\\S' });

/**
 * An object in which nothing may stand but what it names: a misspelt field is told instead of passed over. Only the
 * survey document is open, whose unknown fields are kept (contract).
 */
export const closed = <P extends TProperties>(properties: P) =>
  Type.Object(properties, { additionalProperties: false });

/** A run of sectors that holds something. */
export const ExtentShape = closed({
  first: Sector,
  sectors: Type.Integer({ minimum: 1, maximum: Number.MAX_SAFE_INTEGER }),
});
export const RangeOfSeconds = closed({
  low: Type.Integer({ minimum: 0 }),
  high: Type.Integer({ minimum: 0 }),
});

/**
 * One of several shapes, told apart by a word that each names in `key`: as if/then rather than anyOf, so that a fault
 * is told at its own field instead of once for every shape that it might have been.
 */
export const oneOfWords = <T>(key: string, shapes: Readonly<Record<string, TSchema>>) =>
  Type.Unsafe<T>({
    type: 'object',
    required: [key],
    properties: { [key]: { enum: Object.keys(shapes) } },
    allOf: Object.entries(shapes).map(([word, shape]) => ({
      // Without the word none of them counts: that it is missing is told once.
      if: { required: [key], properties: { [key]: { const: word } } },
      then: shape,
    })),
  });

/** A shape or null; in the schema one entry with both types, so that a fault is told once. */
export function orNull<T extends TSchema>(shape: T) {
  const schema: { type?: unknown; enum?: unknown[] } = { ...shape };
  const both =
    schema.enum !== undefined
      ? { ...schema, enum: [...schema.enum, null] }
      : typeof schema.type === 'string'
        ? { ...schema, type: [schema.type, 'null'] }
        : { anyOf: [{ type: 'null' }, schema] };
  return Type.Unsafe<Static<T> | null>(both);
}

/** A field of a document that may be absent or null. */
export const maybe = <T extends TSchema>(shape: T) => Type.Optional(orNull(shape));

export const Id = orNull(Type.String({ maxLength: 64 }));
