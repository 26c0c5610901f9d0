<script lang="ts">
  import { layoutOf } from '$core/steps';
  import type { Snippet } from 'svelte';
  import { drawDensity, stripOf, type Basin } from '$core/chart';
  import { isShortVolume, type Disk } from '$core/disk';
  import { formatShare, formatSize } from '$core/units';
  import { paintOf } from './roles';
  import BasinShape from './BasinShape.svelte';
  import Patterns from './Patterns.svelte';

  interface Props {
    disk: Disk;
    /** Numbers of partitions drawn with a heavier line. */
    heavy?: readonly number[];
    /** Pixels that each column needs for what hangs below its basin. */
    leastWidth?: number;
    height?: number;
    /** What hangs below each basin. */
    figures: Snippet<[Basin]>;
    /** What stands above each basin. */
    above?: Snippet<[Basin]>;
    /** A column is pointed at, or something in it has the focus. */
    onpoint?: (basin: Basin) => void;
  }
  let { disk, heavy = [], leastWidth = 104, height = 104, figures, above, onpoint }: Props = $props();

  const GAP = 6;
  /** Full to the brim, with the swell still to be seen. */
  const BRIM = 0.98;
  let measured = $state(0);
  /** Pixels; while nothing is measured, hidden or not drawn yet, those of a wide screen. */
  const room = $derived(measured > 0 ? measured : 1232);
  const count = $derived(
    stripOf(disk, layoutOf(disk), { width: 1, scale: 'true', gap: 0, leastWidth: 1 }).length,
  );
  // Rather a strip that is wider than the screen than columns that can't be read.
  const width = $derived(Math.max(room, count * (leastWidth + GAP)));
  // A volume short of room stands brimful: how short exactly, its figures say.
  const basins = $derived(
    stripOf(disk, layoutOf(disk), { width: width - 4, scale: 'legible', gap: GAP, leastWidth }).map(
      (basin): Basin =>
        basin.partition && isShortVolume(basin.partition) ? { ...basin, level: BRIM } : basin,
    ),
  );
  const patterns = $props.id();

  const OVERVIEW = 34;
  let frame = $state<HTMLElement>();
  let from = $state(0);
  const overview = $derived(
    stripOf(disk, layoutOf(disk), { width: room, scale: 'legible', gap: 2, leastWidth: 5 }),
  );
  /** The part of the overview whose columns are in view. */
  const seen = $derived.by(() => {
    const first = basins.findIndex((basin) => basin.x + basin.width > from);
    const last = basins.findLastIndex((basin) => basin.x < from + room);
    const [start, end] = [overview[first], overview[last]];
    return start && end && end.x >= start.x ? { x: start.x, width: end.x + end.width - start.x } : null;
  });
  function bringIntoView(event: PointerEvent): void {
    const i = overview.findLastIndex((basin) => basin.x <= event.offsetX);
    const basin = basins[Math.max(0, i)];
    if (basin) frame?.scrollTo({ left: basin.x + basin.width / 2 - room / 2, behavior: 'smooth' });
  }

  /** A strip below the basins that shows where used clusters lie, where a volume tells. */
  const MAP_HEIGHT = 14;
  const MAP_GAP = 4;
  const mapped = $derived(disk.partitions.some((partition) => partition.volume?.clusterMap));
  function mapPath(basin: Basin): string {
    const volume = basin.partition?.volume;
    if (!volume?.clusterMap || volume.clusterSize === 0) return '';
    const width = basin.width * Math.min(1, volume.size / basin.size);
    const box = { x: basin.x, y: height + MAP_GAP, width, height: MAP_HEIGHT };
    return drawDensity(volume.clusterMap, Math.floor(volume.size / volume.clusterSize), box);
  }

  const says = (basin: Basin): string =>
    `${basin.name}, ${formatSize(basin.size)}${basin.used === null ? '' : `, ${formatShare(basin.used, basin.size)} used`}`;
</script>

{#if width > room}
  <!-- The whole disk at a glance; a press on it brings that part into view. The columns are reached by Tab. -->
  <svg class="overview" width={room} height={OVERVIEW} aria-hidden="true" onpointerdown={bringIntoView}>
    <Patterns id="{patterns}-overview" />
    {#each overview as basin (basin.key)}
      <BasinShape {basin} y={2} height={OVERVIEW - 8} patterns="{patterns}-overview" />
    {/each}
    {#if seen}
      <rect x={seen.x} y={OVERVIEW - 3} width={seen.width} height="3" rx="1.5" fill="var(--accent)" />
    {/if}
  </svg>
{/if}
<!-- A scrollable region must be reachable by keyboard. -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="scroll"
  bind:this={frame}
  bind:clientWidth={measured}
  onscroll={() => (from = frame?.scrollLeft ?? 0)}
  tabindex={width > room ? 0 : undefined}
  role="region"
  aria-label="Disk {disk.number} from start to end"
>
  <div class="strip" style:width="{width}px">
    {#if above}
      <div class="row above">
        {#each basins as basin (basin.key)}
          <div style:left="{basin.x + 2}px" style:width="{basin.width}px">{@render above(basin)}</div>
        {/each}
      </div>
    {/if}
    <svg {width} height={height + 4 + (mapped ? MAP_GAP + MAP_HEIGHT : 0)} aria-hidden="true">
      <Patterns id={patterns} />
      <g transform="translate(2 2)">
        {#each basins as basin (basin.key)}
          <BasinShape
            {basin}
            y={0}
            {height}
            {patterns}
            heavy={basin.partition !== null && heavy.includes(basin.partition.number)}
          />
        {/each}
        {#if mapped}
          {#each basins as basin (basin.key)}
            {@const path = mapPath(basin)}
            {#if path && basin.partition}
              <g class="cluster-map">
                <title>Where the used clusters of {basin.name} lie, from its start to its end</title>
                <rect
                  x={basin.x}
                  y={height + MAP_GAP}
                  width={basin.width}
                  height={MAP_HEIGHT}
                  fill="var(--{paintOf(basin.partition)}-bed)"
                />
                <path d={path} fill="var(--{paintOf(basin.partition)}-line)" />
              </g>
            {/if}
          {/each}
        {/if}
      </g>
    </svg>
    {#if mapped}<p class="visually-hidden">Below the basins a strip shows where used clusters lie.</p>{/if}
    <ul class="columns">
      {#each basins as basin (basin.key)}
        <li
          style:margin-left="{basin === basins[0] ? 2 : GAP}px"
          style:width="{basin.width}px"
          class:dry={!basin.partition}
          aria-label={says(basin)}
          onpointerenter={() => onpoint?.(basin)}
          onfocusin={() => onpoint?.(basin)}
        >
          {@render figures(basin)}
        </li>
      {/each}
    </ul>
  </div>
</div>

<style>
  .scroll {
    position: relative; /* what is hidden inside must not widen the page */
    overflow-x: auto;
    padding-bottom: 0.25rem;
  }
  svg {
    display: block;
  }
  .overview {
    margin-bottom: 0.5rem;
    cursor: pointer;
  }
  .row {
    position: relative;
    height: 2.25rem;
  }
  .row > div {
    position: absolute;
    bottom: 0;
  }
  .columns {
    display: flex;
    align-items: stretch;
  }
  .columns li {
    flex: none;
    min-width: 0;
    padding: 0.5rem 0 0.5rem 0.625rem;
  }
</style>
