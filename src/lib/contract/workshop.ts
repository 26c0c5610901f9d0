import { Type, type Static } from 'typebox';
import { MEDIA } from '$core/disk';
import { WorkshopShape } from '$core/planning';
import { Bytes, closed, RangeOfSeconds } from '$core/shapes';
import { document, endpoint } from './endpoint';
import { Count, JobNumber, Version } from './shapes';

/** The workshop's own tools, kits and rates, and what was measured here. */

const SaveWorkshop = document('save-workshop', closed({ version: Version, workshop: WorkshopShape }), {
  version: 1,
  workshop: {
    tools: [
      {
        id: 'bench-mover',
        name: 'Bench mover',
        countsFrom: 0,
        notes: 'Started from a medium of its own.',
        extends: ['ntfs'],
        shrinks: ['ntfs'],
        floor: 'offline',
        moves: ['data', 'recovery'],
        movesAtRestart: [],
        restartsPerRun: 1,
        touchesEncrypted: false,
        resizesExtended: false,
      },
    ],
    kits: [{ id: 'bench', name: 'Bench', tools: ['windows', 'bench-mover'] }],
  },
});

const SavedWorkshopShape = closed({
  version: Type.Integer({ minimum: 1, description: 'to be sent with the next save' }),
  workshop: WorkshopShape,
  /** Why what is kept can't be read, in sentences; then it counts as empty. */
  unshown: Type.Array(Type.String()),
});
export type SavedWorkshop = Static<typeof SavedWorkshopShape>;

const RunShape = closed({
  job: JobNumber,
  title: Type.String(),
  media: Type.Enum(MEDIA),
  bytes: Bytes,
  seconds: Type.Number({ minimum: 0 }),
  estimate: RangeOfSeconds,
});
const Rate = Type.Number({ minimum: 0, description: 'MiB/s' });
const RateShape = closed({ media: Type.Enum(MEDIA), count: Count, median: Rate, low: Rate, high: Rate });

export const WORKSHOP = {
  'GET /rates': endpoint({
    need: 'reader',
    scope: 'workshop:read',
    summary: 'What was measured at this bench, and the rates per medium that come of it (MiB/s)',
    gives: 'Runs and rates',
    answer: closed({ runs: Type.Array(RunShape), rates: Type.Array(RateShape) }),
  }),
  'GET /workshop': endpoint({
    need: 'reader',
    scope: 'workshop:read',
    summary: 'The workshop’s own tools, kits and rates',
    gives: 'The settings',
    answer: SavedWorkshopShape,
  }),
  'PUT /workshop': endpoint({
    need: 'owner',
    scope: 'workshop:write',
    summary: 'Keep them; goals planned with older ones become stale',
    body: SaveWorkshop,
    gives: 'The new version',
    answer: closed({ version: Count }),
    errors: ['stale-workshop'],
  }),
};
