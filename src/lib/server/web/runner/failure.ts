import { refuse } from '$contract/problems';
import type { Problem } from '$core/problem';
import { NotDone } from '../../platform/threads/pool';
import { DatabaseAway } from '../../store/database/database';
import { UnreadableDocument } from '../../store/documents/loadDocument';

/** Something that could not be done now, as its answer tells it. */
export interface Failure {
  problem: Problem;
  /** Seconds after which it is worth another try; null: it is not. */
  retryAfter: number | null;
  /** Line of the server's log; empty where it is of no interest there. */
  log: string;
}

const failureOf = (
  { problems: [problem] }: ReturnType<typeof refuse>,
  { retryAfter = null, log = '' }: Partial<Failure> = {},
): Failure => ({ problem: problem!, retryAfter, log });

/** Answer to an error that is no defect; null: it is one. */
export function findExpectedFailure(error: unknown): Failure | null {
  if (error instanceof DatabaseAway) {
    const { detail, retryAfter, message } = error;
    return failureOf(refuse('database-away', { detail }), { retryAfter, log: message });
  }
  if (error instanceof UnreadableDocument)
    return failureOf(refuse('unreadable', { what: error.message }), { log: error.message });
  if (!(error instanceof NotDone)) return null;
  switch (error.why) {
    case 'busy':
      return failureOf(refuse('busy'), { retryAfter: 3 });
    // Nobody hears it.
    case 'left':
      return failureOf(refuse('gone'));
    case 'slow':
    case 'died':
      return failureOf(refuse('too-slow'), { log: error.message });
  }
}
