import { applyEdit, makeIntents, reachOf, findRest, type Handle, type Reach, type Rest } from '$core/drawing';
import type { Spot } from '$core/chart';
import { alignment, endOf, type Partition } from '$core/disk';
import type { Layout } from '$core/steps';
import type { DrawingStore } from './drawingStore.svelte';

/** A partition taken hold of. */
export interface Dragged {
  strip: number;
  partition: Partition;
  handle: Handle;
  reach: Reach;
}

/** What is chosen on the board, and what is held and dragged: pointer and keys move it alike. */
export class DragController {
  /** What is chosen on the board: a basin on one of the strips. */
  chosen = $state.raw<Spot | null>(null);
  held = $state.raw<Dragged | null>(null);
  /** Where what is held is now. Told apart from it, since it changes with every frame and the rest does not. */
  rest = $state.raw<Rest>({ at: 0, stop: '' });

  constructor(private readonly store: DrawingStore) {}

  /** Places in the list of steps of those that are done: they have the strips. */
  private readonly done = $derived.by(() =>
    this.store.settled.results.flatMap((result, i) => (result.kind === 'done' ? [i] : [])),
  );

  /** The place in the list of steps behind which something new on that strip comes. */
  placeOf(strip: number): number {
    if (strip === 0) return this.done.length === 0 ? this.store.drawing.steps.length : 0;
    return strip >= this.done.length ? this.store.drawing.steps.length : this.done[strip - 1]! + 1;
  }

  stateAt(strip: number): Layout {
    const { start, results } = this.store.settled;
    const place = strip === 0 ? undefined : this.done[Math.min(strip, this.done.length) - 1];
    return place === undefined ? start : results[place]!.after;
  }

  partitionAt(strip: number, key: string): Partition | null {
    return this.stateAt(strip).partitions.find((one) => `p${one.number}` === key) ?? null;
  }

  take(strip: number, partition: Partition, handle: Handle): void {
    const { task, kit } = this.store.at;
    const reach = reachOf(task, kit, this.stateAt(strip), partition, handle);
    this.chosen = { strip, key: `p${partition.number}` };
    this.rest = { at: reach.at, stop: '' };
    this.held = { strip, partition, handle, reach };
  }

  /** Brings what is held near a sector; `near` sectors around a mark draw it to it. */
  bring(wanted: number, near: number): void {
    const { held, store } = this;
    if (!held) return;
    const rest = findRest(store.at.task.disk, held.reach, wanted, near);
    if (rest.at === this.rest.at && rest.stop === this.rest.stop) return;
    this.rest = rest;
    const intents = makeIntents(held.partition, held.handle, rest.at);
    const place = this.placeOf(held.strip);
    store.trial = intents.length === 0 ? null : applyEdit(store.drawing, { kind: 'add', at: place, intents });
  }

  /** By so many MiB to the right. */
  nudge(mib: number): void {
    if (!this.held) return;
    const slot = alignment(this.store.at.task.disk);
    this.bring(this.rest.at + mib * slot, 0);
  }

  toLimit(side: 'least' | 'most'): void {
    const ranges = this.held?.reach.ranges ?? [];
    const range = side === 'least' ? ranges[0] : ranges.at(-1);
    if (range) this.bring(range[side], 0);
  }

  /** What was tried out becomes steps. */
  letGo(): void {
    const { store, held } = this;
    this.held = null;
    if (store.trial) store.put(store.trial);
    if (held) this.chosen = { strip: this.chosen?.strip ?? held.strip, key: `p${held.partition.number}` };
  }

  cancel(): void {
    this.held = null;
    this.store.trial = null;
  }
}

/** The extent of what is held as it would be let go. */
export function findDraggedExtent(
  { partition, handle }: Dragged,
  at: number,
): { first: number; sectors: number } {
  if (handle === 'body') return { first: at, sectors: partition.sectors };
  if (handle === 'right') return { first: partition.first, sectors: at - partition.first };
  return { first: at, sectors: endOf(partition) - at };
}
