<script lang="ts">
  import { endOf, type Disk } from '$core/disk';
  import { formatMib, formatShare, formatSize } from '$core/units';
  import { nameMoment } from '../chart/measures';
  import type { Selected } from './routeChoice.svelte';

  /** The exact figures of what is chosen in the chart of a route with so many steps. */
  let { disk, steps, selected }: { disk: Disk; steps: number; selected: Selected | null } = $props();

  /** How far the selected partition is from where it was found. */
  const shift = $derived.by(() => {
    const partition = selected?.basin.partition;
    const found = partition && disk.partitions.find((candidate) => candidate.number === partition.number);
    if (!selected || !found) return null;
    const by = (selected.basin.extent.first - found.first) * disk.sectorSize;
    return by === 0
      ? 'where it was found'
      : `${formatSize(Math.abs(by))} to the ${by > 0 ? 'right' : 'left'}`;
  });
  const figures = $derived.by((): [string, string][] => {
    if (!selected) return [];
    const { extent, size, used } = selected.basin;
    const [start, end] = [extent.first, endOf(extent)].map((sector) =>
      formatMib(sector * disk.sectorSize, disk.sectorSize),
    );
    return [
      ['Starts and ends at', `${start} – ${end}`],
      ['Size', `${formatSize(size)} · ${formatMib(size, disk.sectorSize)}`],
      ...(used === null
        ? []
        : [['Used', `${formatSize(used)} · ${formatShare(used, size)}`] as [string, string]]),
    ];
  });
</script>

<footer aria-live="polite">
  {#if selected}
    <div class="who">
      <span>Selected</span><b>{selected.basin.name}, {nameMoment(selected.spot.strip, steps).toLowerCase()}</b
      >
    </div>
    {#each figures as [label, text], i (i)}
      <div><span>{label}</span><b class="figure">{text}</b></div>
    {/each}
    {#if shift}<div><span>Lies</span><b>{shift}</b></div>{/if}
  {:else}
    <p class="soft">Point at a partition to trace it through all strips; choose one for its exact figures.</p>
  {/if}
</footer>

<style>
  footer {
    grid-column: 1;
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem 1rem;
    align-items: center;
    min-height: 4rem;
    padding: 0.625rem 1.25rem;
    background: var(--sheet);
    border-top: 1px solid var(--line);
    position: sticky;
    bottom: 0;
  }
  span {
    display: block;
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  b {
    font-weight: 600;
    font-size: 0.8125rem;
    white-space: nowrap;
    letter-spacing: -0.02em;
  }
  .who b {
    display: block;
    max-width: 10.5rem;
    overflow: hidden;
    text-overflow: ellipsis;
  }
</style>
