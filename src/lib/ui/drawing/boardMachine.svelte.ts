import {
  axisOf,
  DIRECTIONS,
  heightOf,
  keepStrips,
  drawOneStrip,
  walk,
  type Axis,
  type Basin,
  type ScaleKind,
  type Spot,
  type Strip,
} from '$core/chart';
import { bytesOf, nameInSentence, type Disk, type Partition } from '$core/disk';
import { reachOf, type Handle } from '$core/drawing';
import { formatMib, formatSize, GIB, MIB } from '$core/units';
import { FLOW, GAP, nameMoment, STRIP_HEIGHT, makeTideOptions } from '../chart/measures';
import { findDraggedExtent, type DragController } from './dragController.svelte';
import type { DrawingStore } from './drawingStore.svelte';

/** Pixels from an edge within which the edge is meant, and within which a mark draws. */
const EDGE = 7;
const NEAR = 6;

const HANDLE_NAME: Record<Handle, string> = { left: 'Left end', body: 'Whole', right: 'Right end' };
const HANDLE_KEYS: Record<string, Handle> = { l: 'left', w: 'body', r: 'right' };
/** MiB that an arrow key brings what is held, without and with Shift. */
const STEP = 1;
const LEAP = GIB / MIB;

/** A basin under the pointer, and which part of it is meant. */
export interface Hit {
  strip: Strip;
  basin: Basin;
  handle: Handle;
}

/**
 * What the drawing board shows and does, without its elements: strips of the drawing, what is under the pointer, what
 * keys do, and what is said of what is held. Pixels are counted from the upper left corner of the first strip.
 */
export class BoardMachine {
  /** Pixels that the strips have side by side. */
  room = $state(680);
  scale = $state<ScaleKind>('legible');
  /** The lowest strip that can be seen; what lies further down waits while something is held. */
  private lowest = $state(Infinity);
  /** What did not change keeps its identity, and so is not drawn again. */
  private drawnBefore: Strip[] = [];
  /** Sectors from the start of what is held to where the pointer took hold of it. */
  private grip = 0;

  constructor(
    readonly store: DrawingStore,
    readonly drag: DragController,
    /** Keys that the board does not know itself: verbs, undo, the sheet of keys. */
    private readonly onkey: (key: string, shift: boolean) => boolean,
  ) {}

  readonly disk: Disk = $derived.by(() => this.store.at.task.disk);
  readonly steps = $derived.by(() => this.store.followed.steps);
  readonly options = $derived.by(() => makeTideOptions(this.disk, this.room, this.scale));

  private readonly layouts = $derived.by(() => {
    const { start, results } = this.store.followed;
    const done = results.filter((result) => result.kind === 'done');
    return [start, ...done.map(({ after }) => after)];
  });
  /**
   * Made from all strips, and still while something is held: what is dragged must not pull the ground away below the
   * hand.
   */
  private readonly axis: Axis = $derived.by(() => {
    if (this.drag.held && this.stillAxis) return this.stillAxis;
    const { disk } = this;
    this.stillAxis = axisOf(
      this.layouts.map((layout) => ({ disk, layout })),
      this.options,
    );
    return this.stillAxis;
  });
  private stillAxis: Axis | null = null;

  readonly strips: Strip[] = $derived.by(() => {
    const next = this.layouts.map((layout, i) => {
      const old = this.drag.held && i > this.lowest ? this.drawnBefore[i] : undefined;
      return old ?? drawOneStrip(this.disk, layout, i, this.axis, this.options);
    });
    this.drawnBefore = keepStrips(this.drawnBefore, next);
    return this.drawnBefore;
  });
  readonly height = $derived.by(() => heightOf(this.strips, this.options));

  /** The basin that Tab comes to: what is chosen, else the target as it is left. */
  readonly current: Spot = $derived.by(() => {
    const { chosen } = this.drag;
    if (chosen && this.basinAt(chosen)) return chosen;
    const last = this.strips.at(-1)!;
    const target = last.basins.find(
      ({ partition }) => partition?.number === this.store.at.task.target.number,
    );
    return { strip: last.index, key: (target ?? last.basins[0])?.key ?? '' };
  });

  moment = (strip: number): string => nameMoment(strip, this.strips.length - 1);

  private basinAt = ({ strip, key }: Spot): Basin | undefined =>
    this.strips[strip]?.basins.find((basin) => basin.key === key);

  choose(spot: Spot): void {
    if (!this.drag.held) this.drag.chosen = spot;
  }

  /** Says how far down the board can be seen, in pixels. */
  see(below: number): void {
    this.lowest = Math.ceil(below / (STRIP_HEIGHT + FLOW));
  }

  under(x: number, y: number): Hit | null {
    const strip = this.strips.find((one) => y >= one.y && y <= one.y + STRIP_HEIGHT);
    const basin = strip?.basins.find((one) => x >= one.x - GAP / 2 && x <= one.x + one.width + GAP / 2);
    if (!strip || !basin) return null;
    const edge = Math.min(EDGE, basin.width / 3);
    const handle = x <= basin.x + edge ? 'left' : x >= basin.x + basin.width - edge ? 'right' : 'body';
    return { strip, basin, handle };
  }

  /** Takes hold of what lies there; false where nothing can be held. */
  takeAt(x: number, y: number): boolean {
    const hit = this.under(x, y);
    const partition = hit && this.drag.partitionAt(hit.strip.index, hit.basin.key);
    if (!hit || !partition) return false;
    this.drag.take(hit.strip.index, partition, hit.handle);
    this.grip = hit.strip.axis.sectorAt(x) - this.drag.rest.at;
    return true;
  }

  /** Brings what is held to the pointer. */
  bringTo(x: number): void {
    const strip = this.drag.held && this.strips[this.drag.held.strip];
    if (!strip) return;
    const near = Math.abs(strip.axis.sectorAt(x + NEAR) - strip.axis.sectorAt(x - NEAR)) / 2;
    this.drag.bring(strip.axis.sectorAt(x) - this.grip, near);
  }

  /** Does what a key means; false where it means nothing here. */
  press(key: string, shift: boolean): boolean {
    if (this.drag.held) return this.pressHolding(key, shift);
    return this.pressFree(key) || this.onkey(key, shift);
  }

  private pressHolding(key: string, shift: boolean): boolean {
    const by = shift ? LEAP : STEP;
    if (key === 'ArrowLeft') this.drag.nudge(-by);
    else if (key === 'ArrowRight') this.drag.nudge(by);
    else if (key === 'Home') this.drag.toLimit('least');
    else if (key === 'End') this.drag.toLimit('most');
    else if (key === 'Enter') this.letGo();
    else return ['ArrowUp', 'ArrowDown', ' '].includes(key);
    return true;
  }

  /** Let go by key: the result, on the strip that it made, is chosen next. */
  private letGo(): void {
    const held = this.drag.held!;
    const before = this.store.drawing.steps.length;
    this.drag.letGo();
    const more = this.store.drawing.steps.length - before;
    this.drag.chosen = { strip: held.strip + more, key: `p${held.partition.number}` };
  }

  private pressFree(key: string): boolean {
    const direction = DIRECTIONS[key];
    if (direction) {
      this.drag.chosen = walk(this.strips, this.current, direction);
      return true;
    }
    const handle = HANDLE_KEYS[key];
    const partition = handle && this.drag.partitionAt(this.current.strip, this.current.key);
    if (!handle || !partition) return false;
    this.drag.take(this.current.strip, partition, handle);
    return true;
  }

  /** Where what is held may go, on its strip. */
  readonly allowed: { x: number; y: number; width: number }[] = $derived.by(() => {
    const { held } = this.drag;
    const strip = held && this.strips[held.strip];
    if (!held || !strip) return [];
    const length = held.handle === 'body' ? held.partition.sectors : 0;
    return held.reach.ranges.map(({ least, most }) => {
      const x = strip.axis.pixelAt(least);
      return { x, y: strip.y, width: Math.max(2, strip.axis.pixelAt(most + length) - x) };
    });
  });

  private readonly chosenPartition: Partition | null = $derived.by(() => {
    const { chosen } = this.drag;
    return chosen && this.drag.partitionAt(chosen.strip, chosen.key);
  });

  /** The two ends of what is chosen, to be reached by Tab and brought elsewhere by arrows. */
  readonly ends = $derived.by(() => {
    const { drag, chosenPartition: partition } = this;
    const { chosen } = drag;
    const basin = chosen && this.basinAt(chosen);
    if (!partition || !basin) return [];
    const { task, kit } = this.store.at;
    const mib = (sector: number): number => (sector * this.disk.sectorSize) / MIB;
    return (['left', 'right'] as const).map((handle) => {
      const { at, ranges } = reachOf(task, kit, drag.stateAt(chosen.strip), partition, handle);
      return {
        handle,
        label: `${HANDLE_NAME[handle]} of ${nameInSentence(partition)}, ${this.moment(chosen.strip)}`,
        x: handle === 'left' ? basin.x : basin.x + basin.width,
        y: this.strips[chosen.strip]!.y,
        now: mib(at),
        least: mib(ranges[0]!.least),
        most: mib(ranges[0]!.most),
        text: formatMib(at * this.disk.sectorSize, this.disk.sectorSize),
      };
    });
  });

  /** An arrow on an end takes hold of it; what the key means then is for `press` to do. */
  pressEnd(key: string, handle: Handle): void {
    const { drag, chosenPartition: partition } = this;
    if (drag.held || !drag.chosen || !partition || !/^(Arrow(Left|Right)|Home|End)$/.test(key)) return;
    drag.take(drag.chosen.strip, partition, handle);
  }

  /** What is said of what is held, while it is. */
  readonly readout = $derived.by(() => {
    const { held, rest } = this.drag;
    if (!held) return null;
    const { disk, store } = this;
    const extent = findDraggedExtent(held, rest.at);
    const by = (extent.sectors - held.partition.sectors) * disk.sectorSize;
    const shift = (extent.first - held.partition.first) * disk.sectorSize;
    const size = bytesOf(disk, extent);
    const strip = this.strips[held.strip];
    return {
      title: `${HANDLE_NAME[held.handle]} of ${nameInSentence(held.partition)}`,
      at: formatMib(rest.at * disk.sectorSize, disk.sectorSize),
      size: `${formatSize(size)} · ${formatMib(size, disk.sectorSize)}`,
      change:
        by !== 0
          ? `${by > 0 ? '+' : '−'}${formatSize(Math.abs(by))}`
          : shift !== 0
            ? `${formatSize(Math.abs(shift))} to the ${shift > 0 ? 'right' : 'left'}`
            : 'unchanged',
      stop: rest.stop,
      x: strip ? strip.axis.pixelAt(rest.at) : 0,
      y: strip?.y ?? 0,
      /** Strips that show what comes of it, below its own. */
      comes: Math.max(1, store.shown.steps.length - store.drawing.steps.length),
    };
  });
}
