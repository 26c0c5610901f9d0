import { Type, type Static } from 'typebox';
import type { Problem } from '../problem';
import { closed, orNull } from '../shapes';
import { NO_TIME, addTimes, type Seconds } from '../tools';
import type { Check, WorkSheet } from './sheet';

/** Note at one item of a sheet. Notes are only ever added: the last one of an item counts. */
export const TickShape = closed({
  id: Type.String({
    format: 'uuid',
    description: 'made by the device, so that it is kept once however often it is sent',
  }),
  item: Type.String({ minLength: 1, maxLength: 64 }),
  outcome: Type.Enum(['done', 'failed', 'undone']),
  who: Type.String({ minLength: 1, maxLength: 100, pattern: '\\S' }),
  /** When it was ticked, RFC 3339, by the clock of the device. */
  at: Type.String({ format: 'date-time' }),
  note: Type.String({ maxLength: 2000 }),
  /** Measured time in seconds, or null where nobody measured. */
  seconds: orNull(Type.Integer({ minimum: 0, maximum: 4_000_000 })),
  /** Answers to the item's questions, by the id of the question. */
  answers: Type.Record(Type.String(), Type.String({ maxLength: 500 }), { maxProperties: 10 }),
});
export type Tick = Static<typeof TickShape>;

/** One line to be ticked off, with the time that passes at it. */
export interface Item {
  id: string;
  kind: 'before' | 'open' | 'step' | 'commit' | 'close' | 'after';
  title: string;
  handsOn: Seconds;
  waiting: Seconds;
  /** Bytes that are copied while it is waited for; 0 for a staged step. */
  bytes: number;
  asks: Check['asks'];
}

/**
 * Everything that is ticked off, in order. The copying of staged steps passes at their commit point, so it is
 * counted there and not at the step.
 */
export function itemsOf(sheet: WorkSheet): Item[] {
  const plain = (kind: Item['kind'], check: Check, bytes = 0): Item => ({
    id: check.id,
    kind,
    title: check.title,
    handsOn: check.handsOn,
    waiting: check.waiting,
    bytes,
    asks: check.asks,
  });
  return [
    ...sheet.before.map((one) => plain('before', one)),
    ...sheet.runs.flatMap((run) => [
      ...run.open.map((one) => plain('open', one)),
      ...run.parts.flatMap(({ steps, commit }) => [
        ...steps.map((step): Item => ({
          id: step.id,
          kind: 'step',
          title: step.title,
          handsOn: step.handsOn,
          waiting: commit ? NO_TIME : step.waiting,
          bytes: commit ? 0 : step.bytesCopied,
          asks: [],
        })),
        ...(commit
          ? [
              plain(
                'commit',
                commit,
                steps.reduce((sum, step) => sum + step.bytesCopied, 0),
              ),
            ]
          : []),
      ]),
      ...run.close.map((one) => plain('close', one)),
    ]),
    ...sheet.after.map((one) => plain('after', one)),
  ];
}

export interface Progress {
  items: Item[];
  /** The tick that counts, by item. */
  ticks: ReadonlyMap<string, Tick>;
  done: number;
  /** The first item that failed, if any. */
  failed: Item | null;
  /** The next item to be done; null where all are, or one failed. */
  next: Item | null;
  remaining: { handsOn: Seconds; waiting: Seconds };
  /** Seconds that were measured so far. */
  measured: number;
}

/** Progress of a sheet, from everything that was ever ticked on it, in any order of arrival. */
export function progressOf(sheet: WorkSheet, all: readonly Tick[]): Progress {
  const items = itemsOf(sheet);
  const ticks = lastOf(all);
  const outcome = (item: Item) => ticks.get(item.id)?.outcome;
  const open = items.filter((item) => outcome(item) !== 'done');
  const failed = items.find((item) => outcome(item) === 'failed') ?? null;
  return {
    items,
    ticks,
    done: items.length - open.length,
    failed,
    next: failed ? null : (open[0] ?? null),
    remaining: {
      handsOn: addTimes(NO_TIME, ...open.map((item) => item.handsOn)),
      waiting: addTimes(NO_TIME, ...open.map((item) => item.waiting)),
    },
    measured: [...ticks.values()].reduce((sum, tick) => sum + (tick.seconds ?? 0), 0),
  };
}

/** The latest tick of each item that still says something; equal times are told apart by their ids. */
function lastOf(all: readonly Tick[]): Map<string, Tick> {
  const sorted = [...all].sort((a, b) => (a.at === b.at ? (a.id < b.id ? -1 : 1) : a.at < b.at ? -1 : 1));
  const last = new Map<string, Tick>();
  for (const tick of sorted) {
    if (tick.outcome === 'undone') last.delete(tick.item);
    else last.set(tick.item, tick);
  }
  return last;
}

/**
 * The item that has to be done first, or null where this one's turn has come. Checks before and after the work have no
 * order among themselves; everything between keeps it.
 */
export function findBlockingItem(
  { items, ticks }: Pick<Progress, 'items' | 'ticks'>,
  item: Item,
): Item | null {
  if (item.kind === 'before') return null;
  const at = items.findIndex((one) => one.id === item.id);
  const earlier = items.filter((one, i) => i < at && (item.kind !== 'after' || one.kind !== 'after'));
  return earlier.find((one) => ticks.get(one.id)?.outcome !== 'done') ?? null;
}

/** Why a tick can't be kept at an item of its sheet, or null. @param at its place among those that came with it */
export function tickProblem(item: Item | undefined, tick: Tick, at: number): Problem | null {
  if (!item) {
    return { code: 'no-item', path: `/ticks/${at}/item`, message: `The sheet has no item ${tick.item}.` };
  }
  const missing =
    tick.outcome === 'done'
      ? item.asks.find((ask) => !(Object.hasOwn(tick.answers, ask.id) ? tick.answers[ask.id]! : '').trim())
      : undefined;
  if (!missing) return null;
  const message = `“${missing.label}” must be written down before this is ticked.`;
  return { code: 'no-answer', path: `/ticks/${at}/answers/${missing.id}`, message };
}
