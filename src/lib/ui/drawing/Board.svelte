<script lang="ts">
  import { tick, untrack } from 'svelte';
  import type { Spot } from '$core/chart';
  import BandRow from '../chart/BandRow.svelte';
  import Costs from '../chart/Costs.svelte';
  import { FLOW, PAD, STRIP_HEIGHT } from '../chart/measures';
  import Moments from '../chart/Moments.svelte';
  import Patterns from '../chart/Patterns.svelte';
  import StripRow from '../chart/StripRow.svelte';
  import type { BoardMachine } from './boardMachine.svelte';
  import { findBoardPoint, attachDragGesture, measureBelow } from './dragGesture';
  import Readout from './Readout.svelte';

  /** The drawing board: its elements, and how pointer and keys reach its machine. */
  let { machine }: { machine: BoardMachine } = $props();

  const { drag } = untrack(() => machine);
  const disk = $derived(machine.disk);
  const strips = $derived(machine.strips);
  const tops = $derived(strips.map((strip) => strip.y));
  const chosen = $derived(drag.chosen);
  const patterns = $props.id();

  /**
   * What every basin looks at, kept by value: were it derived from the strips, each frame of a drag would ask all of
   * them whether they changed. For the same reason a strip's place is counted below, not read from the strip.
   */
  let moments = $state.raw<string[]>([]);
  let tab = $state.raw<Spot>({ strip: 0, key: '' });
  $effect.pre(() => {
    const { current } = machine;
    const now = untrack(() => ({ tab, moments }));
    if (now.moments.length !== strips.length) moments = strips.map((_, i) => machine.moment(i));
    if (now.tab.strip !== current.strip || now.tab.key !== current.key) tab = current;
  });

  let board: SVGSVGElement;
  $effect(() => attachDragGesture(board, machine));

  function hover(event: PointerEvent): void {
    if (drag.held) return;
    const { x, y } = findBoardPoint(board, event.clientX, event.clientY);
    const hit = machine.under(x, y);
    const cursor = !hit?.basin.partition ? 'default' : hit.handle === 'body' ? 'grab' : 'ew-resize';
    if (board.style.cursor !== cursor) board.style.cursor = cursor;
  }

  async function press(event: KeyboardEvent): Promise<void> {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    machine.see(measureBelow(board));
    if (!machine.press(event.key, event.shiftKey)) return;
    event.preventDefault();
    event.stopPropagation();
    await tick();
    const spot = drag.chosen ?? machine.current;
    board.querySelector<SVGGElement>(`[data-spot="${spot.strip}-${spot.key}"]`)?.focus();
  }
</script>

<svelte:window onscroll={() => drag.held && machine.see(measureBelow(board))} />

<div class="board" style:height="{machine.height + 8}px">
  <Moments {disk} steps={machine.steps} {tops} label="Steps of the drawing" />

  <div class="scroll" bind:clientWidth={machine.room}>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <svg
      bind:this={board}
      width={machine.options.width + 2 * PAD}
      height={machine.height + 2 * PAD + 4}
      role="group"
      aria-label="Drawing board. Arrow keys move between partitions and results; L, W and R take hold of the left end, the whole and the right end; question mark shows all keys."
      onkeydown={press}
      onpointermove={hover}
      style:touch-action="none"
    >
      <Patterns id={patterns} />
      <g transform="translate({PAD} {PAD})">
        {#each strips.slice(1) as below, i (below.index)}
          <BandRow above={strips[i]!} {below} />
        {/each}
        {#each strips as strip, i (strip.index)}
          <StripRow
            basins={strip.basins}
            index={i}
            y={i * (STRIP_HEIGHT + FLOW)}
            {patterns}
            moment={moments[i] ?? ''}
            sectorSize={disk.sectorSize}
            chosen={chosen?.strip === i ? chosen.key : null}
            current={tab.strip === i ? tab.key : null}
            marked={drag.held?.strip === i ? `p${drag.held.partition.number}` : null}
            onchoose={(at, { key }) => machine.choose({ strip: at, key })}
          />
        {/each}
        {#each machine.ends as end (end.handle)}
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
            height={STRIP_HEIGHT}
            onkeydown={({ key }) => machine.pressEnd(key, end.handle)}
          />
        {/each}
        {#each machine.allowed as bed (bed.x)}
          <rect class="allowed" x={bed.x} y={bed.y - 2} width={bed.width} height={STRIP_HEIGHT + 4} rx="6" />
        {/each}
        {#if machine.readout}
          {@const { x, y, stop } = machine.readout}
          <line class="hold" class:stopped={stop !== ''} x1={x} x2={x} y1={y - 6} y2={y + STRIP_HEIGHT + 6} />
        {/if}
      </g>
    </svg>
  </div>

  <Costs steps={machine.steps} {tops} />

  {#if strips.length === 1 && !machine.readout}
    <p class="begin" style:top="{STRIP_HEIGHT + 28}px">
      Drag an end of a partition to make it smaller or larger, or the whole of it to another place. Each drag
      draws a step, and the disk after it appears below. Nothing is done to any disk.
    </p>
  {/if}
  <Readout readout={machine.readout} />
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
</style>
