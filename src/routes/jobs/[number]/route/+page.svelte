<script lang="ts">
  import { DEFAULT_RATES, SHIPPED_KITS } from '$core/tools';
  import { SegmentedControl } from '@skeletonlabs/skeleton-svelte';
  import { invalidateAll } from '$app/navigation';
  import type { Basin, ScaleKind, Spot } from '$core/chart';
  import { bytesOf, endOf, sentenceName } from '$core/disk';
  import {
    highlights,
    inOrder,
    type Highlight,
    type Preference,
    type Reason,
    type Route,
  } from '$core/planning';
  import { formatMib, formatShare, formatSize } from '$core/units';
  import { send, type Refusal, type Saved } from '$ui/api';
  import RouteTable from '$ui/chart/RouteTable.svelte';
  import TideChart from '$ui/chart/TideChart.svelte';
  import { jobDisk } from '$ui/jobDisk';
  import Drawings from '$ui/drawing/Drawings.svelte';
  import Refused from '$ui/Refused.svelte';
  import Compare from '$ui/route/Compare.svelte';
  import Figures from '$ui/route/Figures.svelte';
  import RouteCard from '$ui/route/RouteCard.svelte';
  import TimeChart from '$ui/route/TimeChart.svelte';
  import { TOOL_NAME } from '$ui/words';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const here = $derived(jobDisk(job));
  const disk = $derived(here.disk);
  const routes = $derived(job.answer!.routes);
  const now = $derived(bytesOf(disk, here.target));

  const rates = $derived(data.workshop.rates ?? DEFAULT_RATES);
  const kitNames = $derived(
    new Map([...SHIPPED_KITS, ...(data.workshop.kits ?? [])].map((kit) => [kit.id, kit.name])),
  );
  const kitName = (id: string): string => kitNames.get(id) ?? id;
  const toolNames = $derived(new Map((data.workshop.tools ?? []).map((tool) => [tool.id, tool.name])));
  const toolName = (id: string): string => TOOL_NAME[id] ?? toolNames.get(id) ?? id;

  // svelte-ignore state_referenced_locally
  let prefer = $state<Preference>(job.goal?.options.prefer ?? 'safe');
  let kit = $state('');
  const order = $derived(inOrder(routes, prefer).filter((index) => kit === '' || routes[index]!.kit === kit));
  const few = $derived(highlights(routes, order, prefer));
  const highlighted = (code: Reason): Route | undefined =>
    routes[few.find(({ reasons }) => reasons.some((one) => one.code === code))?.index ?? -1];
  const rest = $derived(order.filter((index) => !few.some((one) => one.index === index)));
  const kitsHere = $derived([...new Set(routes.map((route) => route.kit))]);

  // svelte-ignore state_referenced_locally
  let wanted = $state<number | null>(job.chosen);
  const shown = $derived(wanted !== null && routes[wanted] ? wanted : (few[0]?.index ?? 0));
  const route = $derived(routes[shown]!);
  let beside = $state<number | null>(null);
  const second = $derived(beside !== null && beside !== shown ? (routes[beside] ?? null) : null);

  let view = $state<'chart' | 'compare'>('chart');
  let scale = $state<ScaleKind>('legible');
  let selected = $state<{ spot: Spot; basin: Basin } | null>(null);
  const show = (index: number): void => {
    wanted = index;
    selected = null;
  };

  let refusal = $state<Refusal | null>(null);
  async function choose(version = job.version): Promise<void> {
    const reply = await send<Saved>('PUT', `/api/v1/jobs/${job.number}/route`, { version, chosen: shown });
    refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) await invalidateAll();
  }

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
      disk.partitions.some((partition) => partition.role === 'recovery')
        ? route.keepsRecoveryBehind
          ? `Recovery stays behind ${sentenceName(here.target)}.`
          : `Recovery no longer stands behind ${sentenceName(here.target)}: a later update can't take room from there.`
        : '',
    ].join(' '),
  );
  const moment = (strip: number, of: Route) =>
    strip === 0 ? 'as found' : strip === of.steps.length ? 'as left' : `after step ${strip}`;
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
  const compared = $derived(
    [...few.map((one) => one.index), ...rest].map((index) => ({
      index,
      route: routes[index]!,
      kit: kitName(routes[index]!.kit),
    })),
  );
  /** What a technician without a mover has, against the way that copies least. */
  const windowsAlone = $derived.by((): string => {
    const alone = highlighted('windows-alone');
    const least = highlighted('bytesCopied');
    if (!alone) return 'Windows alone has no way to this size.';
    if (!least || alone === least) return 'Windows alone does it, and nothing copies less.';
    const more = alone.totals.bytesCopied - least.totals.bytesCopied;
    const steps = alone.totals.steps - least.totals.steps;
    return `Windows alone copies ${formatSize(more)} more than the least, with ${Math.abs(steps)} ${steps < 0 ? 'fewer' : 'more'} steps.`;
  });
  const PREFER: [Preference, string][] = [
    ['safe', 'least exposure'],
    ['quick', 'least copying'],
    ['few-steps', 'fewest steps'],
  ];
</script>

<svelte:head><title>Route · {job.customer} · Gentle Tide</title></svelte:head>

{#snippet card(index: number, reasons: Highlight['reasons'])}
  <RouteCard
    route={routes[index]!}
    kit={kitName(routes[index]!.kit)}
    reasons={reasons.map(({ text }) => text)}
    shown={index === shown}
    chosen={index === job.chosen}
    beside={index === beside}
    onshow={() => show(index)}
    onbeside={() => {
      beside = beside === index ? null : index;
      view = 'chart';
    }}
  />
{/snippet}

<div class="screen" class:wide={second !== null}>
  <main>
    {#if job.goal?.stale}
      <p class="stale" role="status">
        These routes are <b>stale</b>: the survey, the target, the tools or the rates changed after they were
        planned.
        <a href="/jobs/{job.number}/target">Ask for the size again</a>
      </p>
    {:else}
      <div class="top">
        <div>
          <h1>Grow {sentenceName(here.target)} from {formatSize(now)} to {formatSize(job.goal!.size)}</h1>
          <p class="soft">{subtitle}</p>
        </div>
        <div class="switches">
          <SegmentedControl value={view} onValueChange={({ value }) => (view = value as typeof view)}>
            <SegmentedControl.Label class="visually-hidden">What is shown</SegmentedControl.Label>
            <SegmentedControl.Control>
              <SegmentedControl.Indicator />
              <SegmentedControl.Item value="chart"
                ><SegmentedControl.ItemText>Tide chart</SegmentedControl.ItemText
                ><SegmentedControl.ItemHiddenInput /></SegmentedControl.Item
              >
              <SegmentedControl.Item value="compare"
                ><SegmentedControl.ItemText>Side by side</SegmentedControl.ItemText
                ><SegmentedControl.ItemHiddenInput /></SegmentedControl.Item
              >
            </SegmentedControl.Control>
          </SegmentedControl>
          {#if view === 'chart'}
            <SegmentedControl value={scale} onValueChange={({ value }) => (scale = value as ScaleKind)}>
              <SegmentedControl.Label class="visually-hidden">Scale of the chart</SegmentedControl.Label>
              <SegmentedControl.Control>
                <SegmentedControl.Indicator />
                <SegmentedControl.Item value="legible"
                  ><SegmentedControl.ItemText>Legible</SegmentedControl.ItemText
                  ><SegmentedControl.ItemHiddenInput /></SegmentedControl.Item
                >
                <SegmentedControl.Item value="true"
                  ><SegmentedControl.ItemText>True scale</SegmentedControl.ItemText
                  ><SegmentedControl.ItemHiddenInput /></SegmentedControl.Item
                >
              </SegmentedControl.Control>
            </SegmentedControl>
          {/if}
        </div>
      </div>
      {#if view === 'compare'}
        <Compare {disk} target={here.target} routes={compared} {toolName} {shown} onshow={show} />
        <h2 class="where">Where the time goes</h2>
        <TimeChart routes={compared.slice(0, 12)} media={disk.media} {rates} />
        <p class="soft small">
          Computed with {rates.copying[disk.media].low}–{rates.copying[disk.media].high} MiB/s for this kind of
          drive. <a href="/settings">The workshop’s rates</a>
        </p>
      {:else}
        <div class:pair={second !== null}>
          <section aria-label="Chart of the route">
            {#if second}<h2 class="which">{route.title}</h2>{/if}
            <TideChart
              {disk}
              steps={route.steps}
              {scale}
              selected={selected?.spot ?? null}
              onselect={(spot, basin) => (selected = { spot, basin })}
            />
          </section>
          {#if second}
            <section aria-label="Chart beside it">
              <h2 class="which">{second.title}</h2>
              <TideChart {disk} steps={second.steps} {scale} selected={null} onselect={() => undefined} />
            </section>
          {/if}
        </div>
        <details>
          <summary>The same as a table</summary>
          <RouteTable {disk} steps={route.steps} {toolName} />
        </details>
      {/if}
    {/if}
  </main>

  {#if !job.goal?.stale}
    <aside aria-label="Figures of this route">
      <h2>This route</h2>
      <p class="name">{route.title} <span class="tools">{kitName(route.kit)}</span></p>
      <Figures {disk} {route} />
      {#if refusal}<Refused {refusal} onoverwrite={(version) => void choose(version)} />{/if}
      <button class="btn action choose" disabled={shown === job.chosen} onclick={() => choose()}
        >{shown === job.chosen ? 'This route is chosen' : 'Choose this route'}</button
      >
      {#if shown === job.chosen}
        <a class="btn quiet choose sheet" href="/jobs/{job.number}/sheet"
          >{job.sheet?.current ? 'See its work sheet' : 'On to the work sheet'}</a
        >
      {/if}

      <Drawings job={job.number} drawings={data.drawings} {route} kit={route.kit} {kitName} />

      <div class="found">
        <h2>Routes found · {order.length}</h2>
        <label
          ><span class="visually-hidden">Of which kit</span><select class="input" bind:value={kit}>
            <option value="">all kits</option>
            {#each kitsHere as id (id)}<option value={id}>{kitName(id)}</option>{/each}
          </select></label
        >
        <label
          ><span class="visually-hidden">Ordered by</span><select class="input" bind:value={prefer}>
            {#each PREFER as [id, says] (id)}<option value={id}>{says}</option>{/each}
          </select></label
        >
      </div>
      <ul class="cards">
        {#each few as { index, reasons } (index)}{@render card(index, reasons)}{/each}
      </ul>
      {#if kit === ''}<p class="soft small">{windowsAlone}</p>{/if}
      {#if rest.length > 0}
        <details>
          <summary>{rest.length} more, each better in something</summary>
          <ul class="cards">
            {#each rest as index (index)}{@render card(index, [])}{/each}
          </ul>
        </details>
      {/if}
      {#each job.answer!.findings as finding (finding.code + finding.title)}
        <p class="soft small">{finding.title}. {finding.detail}</p>
      {/each}
      <h2>Why each step</h2>
      <ol>
        {#each route.steps as step, i (i)}
          <li>
            {step.why}
            {#if step.verb === 'move' && step.repair}<b>{step.repair}</b>{/if}
          </li>
        {/each}
      </ol>
    </aside>

    <footer aria-live="polite">
      {#if selected}
        {@const { basin, spot } = selected}
        <div class="who"><span>Selected</span><b>{basin.name}, {moment(spot.strip, route)}</b></div>
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
  .switches {
    display: grid;
    gap: 0.375rem;
    justify-items: end;
  }
  .pair {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 1rem;
  }
  .which {
    margin: 0 0 0.5rem;
  }
  .where {
    margin: 1.25rem 0 0;
  }
  .small {
    font-size: 0.8438rem;
    padding: 0.375rem 0;
  }
  .small a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .choose {
    width: 100%;
    margin: 0.75rem 0 1.125rem;
  }
  .sheet {
    margin-top: -0.625rem;
  }
  .found {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.375rem;
    align-items: center;
    margin-bottom: 0.5rem;
  }
  .found h2 {
    grid-column: 1 / 3;
    margin: 0;
  }
  .found .input {
    padding: 0.125rem 1.5rem 0.125rem 0.5rem;
    font-size: 0.8125rem;
  }
  .cards {
    display: grid;
    gap: 0.5rem;
    padding: 0;
  }
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
    padding-right: 0.75rem;
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
  /* Two charts need the whole width; what stood beside them comes below. */
  .wide {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: auto;
  }
  .wide aside {
    grid-row: auto;
    grid-column: 1;
    border-left: 0;
    border-top: 1px solid var(--line);
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
