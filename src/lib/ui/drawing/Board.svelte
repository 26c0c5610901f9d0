<script lang="ts">
  import { DragGesture } from '@use-gesture/vanilla';
  import { tick, untrack } from 'svelte';
  import {
    keptStrips,
    oneStrip,
    pixelAt,
    sectorAt,
    walk,
    type Basin,
    DIRECTIONS,
    type ScaleKind,
    type Strip,
  } from '$core/chart';
  import { bytesOf, sentenceName, type Disk } from '$core/disk';
  import { reachOf, type Handle } from '$core/drawing';
  import { formatMib, formatSize } from '$core/units';
  import Costs from '../chart/Costs.svelte';
  import Moments from '../chart/Moments.svelte';
  import Patterns from '../chart/Patterns.svelte';
  import type { DrawingStore } from './drawingStore.svelte';
  import { heldExtent, type Chosen, type DragController } from './dragController.svelte';
  import BandRow from './BandRow.svelte';
  import StripRow from './StripRow.svelte';

  interface Props {
    store: DrawingStore;
    drag: DragController;
    disk: Disk;
    scale: ScaleKind;
    /** Keys that the board does not know itself: verbs, undo, the sheet of keys. */
    onkey: (key: string, shift: boolean) => boolean;
  }
  let { store, drag, disk, scale, onkey }: Props = $props();

  const GAP = 3;
  const PAD = 3;
  const LEAST_WIDTH = 9;
  const STRIP = 58;
  const FLOW = 46;
  /** Pixels from an edge within which the edge is meant, and within which a mark draws. */
  const EDGE = 7;
  const NEAR = 6;

  let room = $state(680);
  const layouts = $derived([
    store.followed.start,
    ...store.followed.results.filter((result) => result.kind === 'done').map((result) => result.after),
  ]);
  const slots = $derived(disk.partitions.length + 4);
  const width = $derived(Math.max(room - 2 * PAD, slots * (LEAST_WIDTH + GAP)));
  const leastWidth = $derived(Math.max(LEAST_WIDTH, Math.min(34, width / (1.6 * slots))));
  /** What did not change keeps its identity, and so is not drawn again. */
  let drawnBefore: Strip[] = [];
  /** The lowest strip that can be seen; what lies further down waits while something is held. */
  let lowest = $state(Infinity);
  function look(): void {
    const below = window.innerHeight - drawing.getBoundingClientRect().top;
    lowest = Math.ceil(below / (STRIP + FLOW));
  }
  const strips = $derived.by(() => {
    const gap = scale === 'true' ? 0 : GAP;
    const options = { width, scale, gap, leastWidth, stripHeight: STRIP, flow: FLOW };
    const next = layouts.map((layout, i) => {
      const old = drag.held && i > lowest ? drawnBefore[i] : undefined;
      return old ?? oneStrip(disk, layout, i, options);
    });
    drawnBefore = keptStrips(drawnBefore, next);
    return drawnBefore;
  });
  const height = $derived((strips.length - 1) * (STRIP + FLOW) + STRIP);
  const tops = $derived(strips.map((strip) => strip.y));
  const patterns = $props.id();
  const steps = $derived(store.followed.steps);

  const chosen = $derived(drag.chosen);
  const current = $derived.by(() => {
    const basins = chosen && strips[chosen.strip]?.basins;
    if (chosen && basins?.some((basin) => basin.key === chosen.key)) return chosen;
    const last = strips.at(-1)!;
    const target = last.basins.find((basin) => basin.partition?.number === store.at.task.target.number);
    return { strip: last.index, key: (target ?? last.basins[0])?.key ?? '' };
  });
  /**
   * What every basin looks at, kept by value: were it derived from the strips, each frame of a drag would ask all of
   * them whether they changed.
   */
  let count = $state(1);
  let tab = $state.raw<Chosen>({ strip: 0, key: '' });
  $effect.pre(() => {
    count = strips.length;
    const now = untrack(() => tab);
    if (now.strip !== current.strip || now.key !== current.key) tab = current;
  });
  const result = (index: number): string =>
    index === 0 ? 'As found' : index === count - 1 ? 'As left' : `After step ${index}`;

  let drawing: SVGSVGElement;

  /** The basin under a point, and which part of it is meant. */
  function under(clientX: number, clientY: number): { strip: Strip; basin: Basin; handle: Handle } | null {
    const box = drawing.getBoundingClientRect();
    const [x, y] = [clientX - box.left - PAD, clientY - box.top - PAD];
    const strip = strips.find((one) => y >= one.y && y <= one.y + STRIP);
    const basin = strip?.basins.find((one) => x >= one.x - GAP / 2 && x <= one.x + one.width + GAP / 2);
    if (!strip || !basin) return null;
    const edge = Math.min(EDGE, basin.width / 3);
    const handle = x <= basin.x + edge ? 'left' : x >= basin.x + basin.width - edge ? 'right' : 'body';
    return { strip, basin, handle };
  }

  /** Sector that the pointer means for what is held: of a body, where its start comes to lie. */
  let grip = 0;
  function follow(clientX: number): void {
    const held = drag.held;
    const strip = held && strips[held.strip];
    if (!held || !strip) return;
    const x = clientX - drawing.getBoundingClientRect().left - PAD;
    const sector = sectorAt(strip, x) - grip;
    const near = Math.abs(sectorAt(strip, x + NEAR) - sectorAt(strip, x - NEAR)) / 2;
    drag.bring(sector, near);
  }

  $effect(() => {
    let frame = 0;
    let wanted = 0;
    const gesture = new DragGesture(
      drawing,
      (state) => {
        const { first, last, tap, xy, initial, cancel, canceled } = state;
        if (first) {
          const hit = under(initial[0], initial[1]);
          const partition = hit && drag.partitionAt(hit.strip.index, hit.basin.key);
          if (!hit || !partition) return cancel();
          look();
          drag.take(hit.strip.index, partition, hit.handle);
          const x = initial[0] - drawing.getBoundingClientRect().left - PAD;
          grip = sectorAt(hit.strip, x) - drag.rest.at;
        }
        if (canceled) return;
        if (last) {
          cancelAnimationFrame(frame);
          frame = 0;
          if (tap) return drag.cancel();
          follow(xy[0]);
          drag.letGo();
          return;
        }
        // One computation a frame, however many events come.
        wanted = xy[0];
        frame ||= requestAnimationFrame(() => {
          frame = 0;
          follow(wanted);
        });
      },
      { filterTaps: true, threshold: 2, pointer: { capture: true } },
    );
    const escape = (event: KeyboardEvent): void => {
      if (event.key !== 'Escape' || !drag.held) return;
      cancelAnimationFrame(frame);
      frame = 0;
      drag.cancel();
    };
    window.addEventListener('keydown', escape, true);
    return () => {
      gesture.destroy();
      window.removeEventListener('keydown', escape, true);
    };
  });

  function hover(event: PointerEvent): void {
    if (drag.held) return;
    const hit = under(event.clientX, event.clientY);
    const cursor = !hit?.basin.partition ? 'default' : hit.handle === 'body' ? 'grab' : 'ew-resize';
    if (drawing.style.cursor !== cursor) drawing.style.cursor = cursor;
  }

  const HOLDS: Record<string, Handle> = { l: 'left', w: 'body', r: 'right' };
  const MIB_OF_GIB = 1024;

  async function press(event: KeyboardEvent): Promise<void> {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const { key, shiftKey } = event;
    const handled = drag.held ? pressHolding(key, shiftKey) : pressFree(key) || onkey(key, shiftKey);
    if (!handled) return;
    event.preventDefault();
    event.stopPropagation();
    await tick();
    const spot = drag.chosen ?? current;
    drawing.querySelector<SVGGElement>(`[data-spot="${spot.strip}-${spot.key}"]`)?.focus();
  }

  function pressHolding(key: string, shift: boolean): boolean {
    const by = shift ? MIB_OF_GIB : 1;
    if (key === 'ArrowLeft') drag.nudge(-by);
    else if (key === 'ArrowRight') drag.nudge(by);
    else if (key === 'Home') drag.toLimit('least');
    else if (key === 'End') drag.toLimit('most');
    else if (key === 'Enter') finishHolding();
    else return ['ArrowUp', 'ArrowDown', ' '].includes(key);
    return true;
  }

  /** Let go by key: the result, on the strip that it made, is chosen next. */
  function finishHolding(): void {
    const held = drag.held!;
    const before = store.drawing.steps.length;
    drag.letGo();
    const more = store.drawing.steps.length - before;
    drag.chosen = { strip: held.strip + more, key: `p${held.partition.number}` };
  }

  function pressFree(key: string): boolean {
    const direction = DIRECTIONS[key];
    if (direction) {
      drag.chosen = walk(strips, current, direction);
      return true;
    }
    const handle = HOLDS[key];
    const partition = handle && drag.partitionAt(current.strip, current.key);
    if (!handle || !partition) return false;
    look();
    drag.take(current.strip, partition, handle);
    return true;
  }

  /** Where what is held may go, on its strip. */
  const allowed = $derived.by(() => {
    const { held } = drag;
    const strip = held && strips[held.strip];
    if (!held || !strip) return [];
    const length = held.handle === 'body' ? held.partition.sectors : 0;
    return held.reach.ranges.map(({ least, most }) => {
      const x = pixelAt(strip, least);
      return { x: x + PAD, y: strip.y + PAD, width: Math.max(2, pixelAt(strip, most + length) - x) };
    });
  });
  /** The two ends of what is chosen, to be reached by Tab. */
  const ends = $derived.by(() => {
    const partition = chosen && drag.partitionAt(chosen.strip, chosen.key);
    const basin = chosen && strips[chosen.strip]?.basins.find((one) => one.key === chosen.key);
    if (!chosen || !partition || !basin) return [];
    const { task, kit } = store.at;
    const state = drag.stateAt(chosen.strip);
    return (['left', 'right'] as const).map((handle) => {
      const { at, ranges } = reachOf(task, kit, state, partition, handle);
      const mib = (sector: number): number => (sector * disk.sectorSize) / 2 ** 20;
      return {
        handle,
        label: `${HANDLE_NAME[handle]} of ${sentenceName(partition)}, ${result(chosen.strip)}`,
        x: handle === 'left' ? basin.x : basin.x + basin.width,
        y: strips[chosen.strip]!.y,
        now: mib(at),
        least: mib(ranges[0]!.least),
        most: mib(ranges[0]!.most),
        text: formatMib(at * disk.sectorSize),
      };
    });
  });
  /** An arrow on an end takes hold of it. */
  function pressEnd(event: KeyboardEvent, handle: Handle): void {
    const partition = chosen && drag.partitionAt(chosen.strip, chosen.key);
    if (drag.held || !chosen || !partition || !/^(Arrow(Left|Right)|Home|End)$/.test(event.key)) return;
    look();
    drag.take(chosen.strip, partition, handle);
  }

  const HANDLE_NAME: Record<Handle, string> = { left: 'Left end', body: 'Whole', right: 'Right end' };
  const readout = $derived.by(() => {
    const { held, rest } = drag;
    if (!held) return null;
    const extent = heldExtent(held, rest.at);
    const by = (extent.sectors - held.partition.sectors) * disk.sectorSize;
    const shift = (extent.first - held.partition.first) * disk.sectorSize;
    const size = bytesOf(disk, extent);
    return {
      title: `${HANDLE_NAME[held.handle]} of ${sentenceName(held.partition)}`,
      at: formatMib(rest.at * disk.sectorSize),
      size: `${formatSize(size)} · ${formatMib(size)}`,
      change:
        by !== 0
          ? `${by > 0 ? '+' : '−'}${formatSize(Math.abs(by))}`
          : shift !== 0
            ? `${formatSize(Math.abs(shift))} to the ${shift > 0 ? 'right' : 'left'}`
            : 'unchanged',
      stop: rest.stop,
      x: strips[held.strip] ? pixelAt(strips[held.strip]!, rest.at) + PAD : 0,
      y: (strips[held.strip]?.y ?? 0) + PAD,
      // Below the strips that show what comes of it.
      below: (1 + Math.max(1, store.shown.steps.length - store.drawing.steps.length)) * (STRIP + FLOW),
    };
  });
</script>

<svelte:window onscroll={() => drag.held && look()} />

<div class="board" style:height="{height + 8}px">
  <Moments {disk} {steps} {tops} label="Steps of the drawing" />

  <div class="scroll" bind:clientWidth={room}>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <svg
      bind:this={drawing}
      width={width + 2 * PAD}
      height={height + 2 * PAD + 4}
      role="group"
      aria-label="Drawing board. Arrow keys move between partitions and results; L, W and R take hold of the left end, the whole and the right end; question mark shows all keys."
      onkeydown={press}
      onpointermove={hover}
      style:touch-action="none"
    >
      <Patterns id={patterns} />
      <g transform="translate({PAD} {PAD})">
        {#each strips.slice(1) as below, i (below.index)}
          <BandRow above={strips[i]!} {below} height={STRIP} />
        {/each}
        {#each strips as strip, i (strip.index)}
          <StripRow
            basins={strip.basins}
            index={i}
            y={i * (STRIP + FLOW)}
            height={STRIP}
            {patterns}
            result={result(i)}
            sectorSize={disk.sectorSize}
            chosen={chosen?.strip === i ? chosen.key : null}
            current={tab.strip === i ? tab.key : null}
            held={drag.held?.strip === i ? `p${drag.held.partition.number}` : null}
            onchoose={(at, key) => {
              if (!drag.held) drag.chosen = { strip: at, key };
            }}
          />
        {/each}
        {#each ends as end (end.handle)}
          <rect
            class="end"
            role="slider"
            tabindex="0"
            aria-label={end.label}
            aria-valuenow={end.now}
            aria-valuemin={end.least}
            aria-valuemax={end.most}
            aria-valuetext={end.text}
            x={end.x - 3}
            y={end.y}
            width="6"
            height={STRIP}
            onkeydown={(event) => pressEnd(event, end.handle)}
          />
        {/each}
      </g>
      {#each allowed as bed (bed.x)}
        <rect class="allowed" x={bed.x} y={bed.y - 2} width={bed.width} height={STRIP + 4} rx="6" />
      {/each}
      {#if readout}
        <line
          class="hold"
          class:stopped={readout.stop !== ''}
          x1={readout.x}
          x2={readout.x}
          y1={readout.y - 6}
          y2={readout.y + STRIP + 6}
        />
      {/if}
    </svg>
  </div>

  <Costs {steps} {tops} />

  {#if strips.length === 1 && !readout}
    <p class="begin" style:top="{STRIP + 28}px">
      Drag an end of a partition to make it smaller or larger, or the whole of it to another place. Each drag
      draws a step, and the disk after it appears below. Nothing is done to any disk.
    </p>
  {/if}
  {#if readout}
    <div
      class="readout"
      style:left="clamp(0px, {168 + readout.x - 100}px, calc(100% - 17rem))"
      style:top="{readout.y + readout.below - FLOW + 10}px"
    >
      <b>{readout.title}</b>
      <span class="figure">{readout.at}</span>
      <span class="figure">{readout.size}</span>
      <span>{readout.change}</span>
      {#if readout.stop}<em>{readout.stop}</em>{/if}
    </div>
  {/if}
  <p class="visually-hidden" role="status">
    {#if readout}{readout.title} at {readout.at}, {readout.size}, {readout.change}. {readout.stop}{/if}
  </p>
</div>

<style>
  .board {
    position: relative;
    display: grid;
    grid-template-columns: 10.5rem minmax(0, 1fr) 7rem;
    margin-bottom: 5rem;
  }
  .scroll {
    position: relative;
    overflow-x: auto;
    overflow-y: hidden;
  }
  svg {
    display: block;
  }
  .allowed {
    fill: var(--accent);
    fill-opacity: 0.08;
    stroke: var(--accent);
    stroke-width: 2;
    stroke-dasharray: 6 4;
    pointer-events: none;
  }
  .end {
    fill: transparent;
    pointer-events: none;
  }
  .end:focus-visible {
    fill: var(--accent);
    outline: 3px solid var(--focus);
  }
  .hold {
    stroke: var(--accent);
    stroke-width: 3;
    pointer-events: none;
  }
  .hold.stopped {
    stroke: var(--exposed);
    stroke-width: 5;
  }
  .begin {
    position: absolute;
    left: 10.5rem;
    max-width: 34rem;
    color: var(--ink-soft);
  }
  .readout {
    position: absolute;
    z-index: 2;
    width: 16.5rem;
    display: grid;
    gap: 0.125rem;
    padding: 0.5rem 0.75rem;
    border-radius: 0.5rem;
    background: var(--ink);
    color: var(--paper);
    font-size: 0.8438rem;
    line-height: 1.25;
    pointer-events: none;
  }
  .readout em {
    font-style: normal;
    font-weight: 650;
    border-top: 1px solid color-mix(in srgb, var(--paper) 35%, transparent);
    padding-top: 0.25rem;
    margin-top: 0.125rem;
  }
</style>
