/** States that can be gone back to, and forward again. Nothing in it is ever changed in place. */
export interface History<T> {
  readonly past: readonly T[];
  readonly now: T;
  readonly future: readonly T[];
}

export const begin = <T>(now: T): History<T> => ({ past: [], now, future: [] });

/** A new present; what was undone before is gone. */
export const record = <T>({ past, now }: History<T>, next: T): History<T> => ({
  past: [...past, now],
  now: next,
  future: [],
});

/** One back; at the beginning nothing happens. */
export function undo<T>(history: History<T>): History<T> {
  const { past, now, future } = history;
  return past.length === 0
    ? history
    : { past: past.slice(0, -1), now: past.at(-1)!, future: [now, ...future] };
}

/** One forward; at the end nothing happens. */
export function redo<T>(history: History<T>): History<T> {
  const { past, now, future } = history;
  return future.length === 0 ? history : { past: [...past, now], now: future[0]!, future: future.slice(1) };
}
