<script lang="ts">
  import { FLOW, PAD, STRIP_HEIGHT } from '../chart/measures';
  import type { BoardMachine } from './boardMachine.svelte';

  /** The exact figures of what is held, below the strips that show what comes of it. */
  let { readout }: { readout: BoardMachine['readout'] } = $props();

  /** Pixels of the column with the names of the steps, left of the strips. */
  const NAMES = 168;
  const top = $derived(readout && PAD + readout.y + (1 + readout.comes) * (STRIP_HEIGHT + FLOW) - FLOW + 10);
</script>

{#if readout}
  <div
    class="readout"
    style:left="clamp(0px, {NAMES + PAD + readout.x - 100}px, calc(100% - 17rem))"
    style:top="{top}px"
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

<style>
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
