import type { Presence } from '../../people/presence';
import { watchWorkshop, type WorkshopEvent } from './hub';

/**
 * Milliseconds after which something is said, so that a connection that is gone is noticed; and after which whoever
 * watches asks anew.
 */
const QUIET = 15_000;
const LONGEST = 60 * 60_000;
/** Pieces that may wait for somebody who does not read; then he is let go, and asks anew. */
const MAX_WAITING = 200;

/**
 * What is done in the workshop as server-sent events, beginning with `event: here`.
 * @param gone aborted once whoever watches is gone @returns null: too many watch already
 */
export function streamWorkshopEvents(
  presence: Presence,
  gone: AbortSignal,
): ReadableStream<Uint8Array> | null {
  const text = new TextEncoder();
  let close = (): void => undefined;
  let tell: (events: readonly WorkshopEvent[]) => void = () => undefined;
  const leave = watchWorkshop(
    presence,
    (events) => tell(events),
    () => close(),
  );
  if (!leave) return null;
  return new ReadableStream<Uint8Array>(
    {
      start(controller) {
        let over = false;
        const say = (words: string): void => {
          if (over) return;
          if ((controller.desiredSize ?? 0) <= 0) return close();
          controller.enqueue(text.encode(words));
        };
        const quiet = setInterval(() => say(': still here\n\n'), QUIET);
        const longest = setTimeout(() => close(), LONGEST);
        close = () => {
          if (over) return;
          over = true;
          leave();
          clearInterval(quiet);
          clearTimeout(longest);
          try {
            controller.close();
          } catch {
            // It was cancelled by whoever read it.
          }
        };
        tell = (events) => say(`data: ${JSON.stringify(events)}\n\n`);
        gone.addEventListener('abort', close, { once: true });
        say('event: here\ndata: {}\n\n');
      },
      cancel: () => close(),
    },
    { highWaterMark: MAX_WAITING },
  );
}
