import { Type, type Static } from 'typebox';
import { Bytes, closed, orNull } from '../shapes';
import { accountsOf } from './accounts';
import type { Holdings } from './document';
import { FreeableShape, findFreeable, MovableShape } from './freeable';
import { computeRateByAge } from './ages';

const Rate = Type.Integer({ minimum: 0, maximum: Number.MAX_SAFE_INTEGER });

/** Sums of a volume's holdings: all that other screens need of them. */
export const CleanupReportShape = closed({
  disk: Type.Integer({ minimum: 0, maximum: 255 }),
  partition: Type.Integer({ minimum: 0, maximum: 65_535 }),
  size: Bytes,
  used: Bytes,
  /** Parts of the used bytes: in folders, the file system's own, and found nowhere. */
  accounts: closed({ used: Bytes, folders: Bytes, own: Bytes, other: Bytes }),
  goes: Type.Array(FreeableShape, { maxItems: 40 }),
  moves: Type.Array(MovableShape, { maxItems: 40 }),
  /** Bytes a year that came, by the ages of files: rough. null: the ages do not tell. */
  rate: orNull(closed({ low: Rate, middle: Rate, high: Rate })),
});
export type CleanupReport = Static<typeof CleanupReportShape>;
export const CleanupReportsShape = Type.Array(CleanupReportShape, { maxItems: 16 });

export const cleanupReportsOf = ({ volumes, takenAt }: Holdings): CleanupReport[] =>
  volumes.map((volume) => ({
    disk: volume.disk,
    partition: volume.partition,
    size: volume.size,
    used: volume.used,
    accounts: accountsOf(volume),
    ...findFreeable(volume, takenAt),
    rate: computeRateByAge(volume, takenAt),
  }));
