<script lang="ts">
  import { SegmentedControl } from '@skeletonlabs/skeleton-svelte';
  import type { Basin, ScaleKind, Spot } from '$core/chart';
  import { bytesOf, endOf, sentenceName } from '$core/disk';
  import { formatDuration, formatMib, formatShare, formatSize } from '$core/units';
  import RouteTable from '$ui/chart/RouteTable.svelte';
  import TideChart from '$ui/chart/TideChart.svelte';
  import { jobDisk } from '$ui/jobDisk';
  import Term from '$ui/Term.svelte';
  import { TOOL_NAME } from '$ui/words';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const here = $derived(jobDisk(job));
  const route = $derived(job.answer!.routes[0]!);
  const totals = $derived(route.totals);
  const disk = $derived(here.disk);
  const now = $derived(bytesOf(disk, here.target));

  let scale = $state<ScaleKind>('legible');
  let selected = $state<{ spot: Spot; basin: Basin } | null>(null);

  /** The target and every donor: what is free in them afterwards. */
  const freeAfterwards = $derived(
    disk.partitions.flatMap((partition) => {
      const left = route.asLeft.partitions.find((candidate) => candidate.number === partition.number);
      const used = partition.volume?.used;
      if (!left || used == null || left.sectors === partition.sectors) return [];
      const size = bytesOf(disk, left);
      return { name: sentenceName(partition), free: size - used, size };
    }),
  );
  const donors = $derived(
    disk.partitions.filter((partition) =>
      route.steps.some((step) => step.verb === 'shrink' && step.partition === partition.number),
    ),
  );
  const subtitle = $derived(
    [
      donors.length > 0
        ? `Room comes from ${donors.map(sentenceName).join(' and ')}.`
        : 'Room comes from unallocated space.',
      disk.partitions.some((partition) => partition.role === 'recovery') && route.keepsRecoveryBehind
        ? `Recovery stays behind ${sentenceName(here.target)}.`
        : '',
    ].join(' '),
  );
  const moment = (strip: number) =>
    strip === 0 ? 'as found' : strip === route.steps.length ? 'as left' : `after step ${strip}`;
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
  const kits = $derived(
    [...new Set(route.steps.map((step) => TOOL_NAME[step.tool] ?? step.tool))].join(', '),
  );
</script>

<svelte:head><title>Route · {job.customer} · Gentle Tide</title></svelte:head>

<div class="screen">
  <main>
    {#if job.goal?.stale}
      <p class="stale" role="status">
        This route is <b>stale</b>: the survey or the target changed after it was planned.
        <a href="/jobs/{job.number}/target">Ask for the size again</a>
      </p>
    {:else}
      <div class="top">
        <div>
          <h1>Grow {sentenceName(here.target)} from {formatSize(now)} to {formatSize(job.goal!.size)}</h1>
          <p class="soft">{subtitle}</p>
        </div>
        <SegmentedControl value={scale} onValueChange={({ value }) => (scale = value as ScaleKind)}>
          <SegmentedControl.Label class="visually-hidden">Scale of the chart</SegmentedControl.Label>
          <SegmentedControl.Control>
            <SegmentedControl.Indicator />
            <SegmentedControl.Item value="legible"
              ><SegmentedControl.ItemText>Legible</SegmentedControl.ItemText><SegmentedControl.ItemHiddenInput
              /></SegmentedControl.Item
            >
            <SegmentedControl.Item value="true"
              ><SegmentedControl.ItemText>True scale</SegmentedControl.ItemText
              ><SegmentedControl.ItemHiddenInput /></SegmentedControl.Item
            >
          </SegmentedControl.Control>
        </SegmentedControl>
      </div>
      <TideChart
        {disk}
        steps={route.steps}
        {scale}
        selected={selected?.spot ?? null}
        onselect={(spot, basin) => (selected = { spot, basin })}
      />
      <details>
        <summary>The same as a table</summary>
        <RouteTable {disk} steps={route.steps} />
      </details>
    {/if}
  </main>

  {#if !job.goal?.stale}
    <aside aria-label="Figures of this route">
      <h2>This route</h2>
      <p class="name">{route.title} <span class="tools">{kits}</span></p>
      <dl>
        <div>
          <dt>Data copied</dt>
          <dd class="figure">{formatSize(totals.bytesCopied)}</dd>
        </div>
        <div>
          <dt>Time on this drive</dt>
          <dd class="figure">{formatDuration(totals.seconds)}</dd>
        </div>
        <div>
          <dt>Steps</dt>
          <dd class="figure">{totals.steps}</dd>
        </div>
        <div>
          <dt>Restarts</dt>
          <dd class="figure">{totals.restarts}</dd>
        </div>
        {#if totals.handOvers > 0}
          <div>
            <dt>
              <Term word="Hand-overs"
                >The change from one tool to another within the route; the disk is read again there.</Term
              >
            </dt>
            <dd class="figure">{totals.handOvers}</dd>
          </div>
        {/if}
        <div>
          <dt>
            <Term word="Exposure"
              >Time in which a power cut leaves a partition that only a resume can mend.</Term
            >
          </dt>
          <dd class="figure" class:exposed={totals.exposedBytes > 0}>
            {formatDuration(totals.exposedSeconds)}
          </dd>
        </div>
        <div>
          <dt><Term word="Stranded">Unallocated space that no partition will take up.</Term></dt>
          <dd class="figure">{formatSize(totals.stranded)}</dd>
        </div>
        {#each freeAfterwards as { name, free, size } (name)}
          <div>
            <dt>{name} free afterwards</dt>
            <dd class="figure">{formatSize(free)} · {formatShare(free, size)}</dd>
          </div>
        {/each}
      </dl>
      <h2>Why each step</h2>
      <ol>
        {#each route.steps as step, i (i)}<li>{step.why}</li>{/each}
      </ol>
    </aside>

    <footer aria-live="polite">
      {#if selected}
        {@const { basin, spot } = selected}
        <div class="who"><span>Selected</span><b>{basin.name}, {moment(spot.strip)}</b></div>
        <div>
          <span>Starts and ends at</span>
          <b class="figure"
            >{formatMib(basin.extent.first * disk.sectorSize)} – {formatMib(
              endOf(basin.extent) * disk.sectorSize,
            )}</b
          >
        </div>
        <div><span>Size</span><b class="figure">{formatSize(basin.size)} · {formatMib(basin.size)}</b></div>
        {#if basin.used !== null}
          <div>
            <span>Used</span><b class="figure"
              >{formatSize(basin.used)} · {formatShare(basin.used, basin.size)}</b
            >
          </div>
        {/if}
        {#if shift}<div><span>Lies</span><b>{shift}</b></div>{/if}
      {:else}
        <p class="soft">
          Point at a partition to trace it through all strips; choose one for its exact figures.
        </p>
      {/if}
    </footer>
  {/if}
</div>

<style>
  .screen {
    flex: 1;
    display: grid;
    grid-template-columns: minmax(0, 1fr) 21.25rem;
    grid-template-rows: 1fr auto;
  }
  main {
    padding: 1rem 0.5rem 1rem 1.25rem;
    min-width: 0;
  }
  .top {
    display: flex;
    justify-content: space-between;
    align-items: start;
    gap: 1rem;
    padding-right: 7rem;
    margin-bottom: 0.875rem;
  }
  aside {
    grid-row: 1 / 3;
    grid-column: 2;
    background: var(--sheet);
    border-left: 1px solid var(--line);
    padding: 1rem 1.125rem;
  }
  h2 {
    font-size: 0.8125rem;
    font-weight: 700;
    letter-spacing: 0.03em;
    color: var(--ink-soft);
    margin: 0.25rem 0 0.5rem;
  }
  .name {
    font-weight: 650;
    margin-bottom: 0.625rem;
    text-wrap: balance;
  }
  .tools {
    padding: 0.0625rem 0.5rem;
    border-radius: 0.375rem;
    font-size: 0.8125rem;
    background: var(--chip-accent);
    color: var(--accent-ink);
    white-space: nowrap;
  }
  dl {
    margin-bottom: 1.25rem;
  }
  dl div {
    display: flex;
    justify-content: space-between;
    gap: 1rem;
    padding: 0.1875rem 0;
  }
  dt {
    color: var(--ink-soft);
  }
  dd {
    white-space: nowrap;
    letter-spacing: -0.02em;
  }
  .exposed {
    color: var(--exposed);
    font-weight: 650;
  }
  ol {
    list-style: decimal;
    padding-left: 1.25rem;
    font-size: 0.875rem;
    display: grid;
    gap: 0.5rem;
  }
  ol li::marker {
    font-weight: 700;
  }
  footer {
    grid-column: 1;
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem 1.5rem;
    align-items: center;
    min-height: 4rem;
    padding: 0.625rem 1.25rem;
    background: var(--sheet);
    border-top: 1px solid var(--line);
    position: sticky;
    bottom: 0;
  }
  footer span {
    display: block;
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  footer b {
    font-weight: 600;
    font-size: 0.875rem;
    white-space: nowrap;
    letter-spacing: -0.02em;
  }
  .who b {
    display: block;
    max-width: 20rem;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  details {
    margin: 0.5rem 1rem 0 0;
  }
  summary {
    cursor: pointer;
    color: var(--accent-ink);
    font-weight: 600;
    padding: 0.25rem 0;
  }
  .stale {
    padding: 1rem;
    border-left: 4px solid var(--exposed);
    background: var(--card);
    border-radius: 0.375rem;
  }
  .stale a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  @media (max-width: 64rem) {
    .screen {
      grid-template-columns: minmax(0, 1fr);
      grid-template-rows: auto;
    }
    aside {
      grid-row: auto;
      grid-column: 1;
      border-left: 0;
      border-top: 1px solid var(--line);
    }
    .top {
      padding-right: 0;
    }
  }
</style>
