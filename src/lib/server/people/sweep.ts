import { log } from '../platform/log';
import { sweepSessions } from './sessions';
import { sweepTries } from './tries';

const HOUR = 60 * 60 * 1000;

/** Throws away once an hour what of sessions, addresses and wrong tries counts no more. @returns what ends it */
export function startSweeping(): () => void {
  const sweep = (): void =>
    void Promise.all([sweepSessions(), sweepTries()]).catch((error: unknown) =>
      log.warn({ err: error }, 'sweeping'),
    );
  const timer = setInterval(sweep, HOUR);
  timer.unref();
  sweep();
  return () => clearInterval(timer);
}
