import { Type, type Static } from 'typebox';
import { closed } from '$core/shapes';

/** Shapes that several endpoints share. */

/** A moment, as JSON has it (RFC 3339, UTC). */
export const Moment = Type.String({ format: 'date-time' });
export type Moment = Static<typeof Moment>;
export const Day = Type.String({ format: 'date' });
export const Count = Type.Integer({ minimum: 0 });
export const Id = Type.Integer({ minimum: 1, maximum: Number.MAX_SAFE_INTEGER });
/** A place in a list, counted from 0. */
export const Place = Type.Integer({ minimum: 0, maximum: 1_000_000 });
export const JobNumber = Type.Integer({ minimum: 0, maximum: 2 ** 32 - 1 });
/** A number of a disk or of a partition in a body. */
export const Number16 = Type.Integer({ minimum: 0, maximum: 65_535 });

const MAX_VERSION = 2 ** 32 - 1;
export const Version = Type.Integer({
  minimum: 1,
  maximum: MAX_VERSION,
  description: 'the version of the job that the change was made on',
});
export const VersionSeen = Type.Integer({
  minimum: 1,
  maximum: MAX_VERSION,
  description: 'the version that was looked at',
});

/** Answer to a save of a job. */
export const Saved = Type.Object({
  number: Type.Integer(),
  version: Type.Integer({ description: 'to be sent with the next save' }),
});
export type Saved = Static<typeof Saved>;

export const Target = closed({ disk: Number16, partition: Number16 });
