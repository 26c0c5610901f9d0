import { DatabaseAway } from './database';
import { Unshowable } from './kept';
import { NotDone } from './threads/pool';

/** Something that could not be done now, as its answer tells it. */
export interface Failure {
  status: number;
  detail: string;
  /** Seconds after which it is worth another try; null: it is not. */
  retryAfter: number | null;
  /** What the server's log says of it; empty where it is of no interest there. */
  log: string;
}

const SLOW =
  'This took longer than anything that is asked here, so it was ended. Ask for less: fewer partitions, kits or files at once.';

/** What to answer to an error that is no defect; null: it is one. */
export function failureOf(error: unknown): Failure | null {
  if (error instanceof DatabaseAway) {
    return { status: 503, detail: error.detail, retryAfter: error.retryAfter, log: error.message };
  }
  if (error instanceof Unshowable) {
    const detail = `${error.message} The job can be exported as it is, given a new survey, or deleted.`;
    return { status: 409, detail, retryAfter: null, log: error.message };
  }
  if (!(error instanceof NotDone)) return null;
  switch (error.why) {
    case 'busy':
      return {
        status: 503,
        detail: 'Too much is being worked out at once. Try again in a moment.',
        retryAfter: 3,
        log: '',
      };
    // Nobody hears it.
    case 'left':
      return { status: 499, detail: 'The asker left.', retryAfter: null, log: '' };
    case 'slow':
    case 'died':
      return { status: 422, detail: SLOW, retryAfter: null, log: error.message };
  }
}
