<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { DEFAULT_RATES } from '$core/tools';
  import { untrack } from 'svelte';
  import { invalidateAll } from '$app/navigation';
  import { bytesOf, nameInSentence } from '$core/disk';
  import { formatSize } from '$core/units';
  import Beside from '$ui/Beside.svelte';
  import RouteTable from '$ui/chart/RouteTable.svelte';
  import ScaleSwitch from '$ui/chart/ScaleSwitch.svelte';
  import TideChart from '$ui/chart/TideChart.svelte';
  import Drawings from '$ui/drawing/Drawings.svelte';
  import { jobDisk } from '$ui/jobDisk';
  import Part from '$ui/Part.svelte';
  import Refused from '$ui/Refused.svelte';
  import StaleRoutes from '$ui/route/StaleRoutes.svelte';
  import Compare from '$ui/route/Compare.svelte';
  import Figures from '$ui/route/Figures.svelte';
  import { summarizeRoute, RouteChoice } from '$ui/route/routeChoice.svelte';
  import RoutesFound from '$ui/route/RoutesFound.svelte';
  import SelectedBasin from '$ui/route/SelectedBasin.svelte';
  import TimeChart from '$ui/route/TimeChart.svelte';
  import Switch from '$ui/Switch.svelte';
  import { kitNameIn, toolNameIn } from '$ui/workshop';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const { disk, target } = $derived(jobDisk(job));
  const rates = $derived(data.workshop.rates ?? DEFAULT_RATES);
  const kitName = $derived(kitNameIn(data.workshop));
  const toolName = $derived(toolNameIn(data.workshop));

  const choice = untrack(
    () => new RouteChoice(() => job.answer!.routes, job.goal?.options.prefer ?? 'usual', job.chosen),
  );
  const route = $derived(choice.route);
  const reasons = $derived(choice.few.find(({ index }) => index === choice.shown)?.reasons ?? []);
  const compared = $derived(
    [...choice.few.map((one) => one.index), ...choice.rest].map((index) => {
      const one = choice.routes[index]!;
      return { index, route: one, kit: kitName(one.kit) };
    }),
  );

  let refusal = $state<Refusal | null>(null);
  async function choose(version = job.version): Promise<void> {
    const chosen = choice.shown;
    const reply = await call('PUT /jobs/{number}/route', { number: job.number, body: { version, chosen } });
    refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) await invalidateAll();
  }
</script>

<svelte:head><title>Route · {job.customer} · Gentle Tide</title></svelte:head>

<Beside
  label="Figures of this route"
  wide={choice.second !== null}
  column={job.goal?.stale ? undefined : beside}
  foot={job.goal?.stale || choice.view !== 'chart' ? undefined : below}
>
  {#if job.goal?.stale}
    <StaleRoutes job={job.number} several />
  {:else}
    <div class="top">
      <div>
        <h1>
          Grow {nameInSentence(target)} from {formatSize(bytesOf(disk, target))} to {formatSize(
            job.goal!.size,
          )}
        </h1>
        <p class="soft">{summarizeRoute(disk, target, route)}</p>
      </div>
      <div class="switches">
        <Switch
          label="What is shown"
          bind:value={choice.view}
          choices={[
            ['chart', 'Tide chart'],
            ['compare', 'Side by side'],
          ]}
        />
        {#if choice.view === 'chart'}<ScaleSwitch bind:scale={choice.scale} />{/if}
      </div>
    </div>
    {#if choice.view === 'compare'}
      <Compare
        {disk}
        {target}
        routes={compared}
        {toolName}
        shown={choice.shown}
        onshow={(index) => choice.show(index)}
      />
      <h2 class="small-title where">Where the time goes</h2>
      <TimeChart routes={compared.slice(0, 12)} media={disk.media} {rates} />
      <p class="soft small">
        Computed with {rates.copying[disk.media].low}–{rates.copying[disk.media].high} MiB/s for this kind of drive.
        <a href="/settings">The workshop’s rates</a>
      </p>
    {:else}
      <Part what="the chart">
        <div class:pair={choice.second !== null}>
          <section aria-label="Chart of the route">
            {#if choice.second}<h2 class="small-title which">{route.title}</h2>{/if}
            <TideChart
              {disk}
              steps={route.steps}
              scale={choice.scale}
              beside={choice.second?.steps}
              selected={choice.selected?.spot ?? null}
              onselect={(spot, basin) => (choice.selected = { spot, basin })}
            />
          </section>
          {#if choice.second}
            <section aria-label="Chart beside it">
              <h2 class="small-title which">{choice.second.title}</h2>
              <TideChart
                {disk}
                steps={choice.second.steps}
                scale={choice.scale}
                beside={route.steps}
                selected={null}
                onselect={() => undefined}
              />
            </section>
          {/if}
        </div>
      </Part>
      <details>
        <summary>The same as a table</summary>
        <RouteTable {disk} steps={route.steps} {toolName} />
      </details>
    {/if}
  {/if}
</Beside>

{#snippet beside()}
  <h2 class="small-title">This route</h2>
  <p class="name">
    {route.title} <span class="tools">{kitName(route.kit)}</span>
    {#each reasons as { text }, i (i)}
      <span class="tools reason">{text}</span>
    {/each}
  </p>
  {#if route.because}<p class="soft small">{route.because}</p>{/if}
  <Figures {disk} {route} />
  {#if refusal}<Refused {refusal} onoverwrite={(version) => void choose(version)} />{/if}
  <button class="btn action choose" disabled={choice.shown === job.chosen} onclick={() => choose()}
    >{choice.shown === job.chosen ? 'This route is chosen' : 'Choose this route'}</button
  >
  {#if choice.shown === job.chosen}
    <div class="on">
      {#if route.rehearsable}
        <a class="btn quiet" href="/jobs/{job.number}/rehearsal"
          >{job.rehearsal?.current ? 'See its rehearsal' : 'Rehearse it'}</a
        >
      {/if}
      <a class="btn quiet" href="/jobs/{job.number}/sheet"
        >{job.sheet?.current ? 'See its work sheet' : 'On to the work sheet'}</a
      >
    </div>
  {/if}

  <Drawings job={job.number} drawings={data.drawings} {route} kit={route.kit} {kitName} />
  <RoutesFound {choice} chosen={job.chosen} {kitName} />
  {#each job.answer!.findings as finding, i (i)}
    <p class="soft small">{finding.title}. {finding.detail}</p>
  {/each}
  <h2 class="small-title">Why each step</h2>
  <ol>
    {#each route.steps as step, i (i)}
      <li>
        {step.why}
        {#if step.verb === 'move' && step.repair}<b>{step.repair}</b>{/if}
      </li>
    {/each}
  </ol>
{/snippet}
{#snippet below()}
  <SelectedBasin {disk} steps={route.steps.length} selected={choice.selected} />
{/snippet}

<style>
  .switches {
    display: flex;
    flex-wrap: wrap;
    justify-content: end;
    gap: 0.5rem;
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
  .on {
    display: grid;
    gap: 0.5rem;
    margin: -0.625rem 0 1.125rem;
  }
  .top {
    display: flex;
    justify-content: space-between;
    align-items: start;
    gap: 1rem;
    padding-right: 0.75rem;
    margin-bottom: 0.625rem;
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
    background: var(--line);
    white-space: nowrap;
  }
  .tools + .tools {
    margin-left: 0.25rem;
  }
  .tools.reason {
    background: var(--chip-accent);
    color: var(--accent-ink);
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
  details {
    margin: 0.5rem 1rem 0 0;
  }
  summary {
    padding: 0.25rem 0;
  }
  @media (max-width: 64rem) {
    .top {
      padding-right: 0;
    }
  }
</style>
