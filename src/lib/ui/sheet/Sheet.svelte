<script lang="ts">
  import { onMount, tick as settled, untrack, type Snippet } from 'svelte';
  import { formatDuration, formatMib, formatSize } from '$core/units';
  import {
    progressOf,
    drawStripPicture,
    findBlockingItem,
    type Item,
    type SheetStep,
    type Tick,
    type WorkSheet,
  } from '$core/worksheet';
  import { page } from '$app/state';
  import { concerns } from '$ui/feed/feed';
  import { feedHere } from '$ui/feed/here';
  import { keepPerson, readPersonHere } from '$ui/person';
  import Part from '$ui/Part.svelte';
  import CheckBody from './CheckBody.svelte';
  import Gauge from './Gauge.svelte';
  import ItemCard from './ItemCard.svelte';
  import { keepSheet } from './keep';
  import StepBody from './StepBody.svelte';
  import { TickDesk } from './tickDesk.svelte';

  interface Props {
    job: number;
    sheet: { id: number; document: WorkSheet; ticks: Tick[] };
    /** Ticking waits until somebody says that the sheet is worked from all the same. */
    waits: boolean;
    /** Everything was found where it was promised. */
    proved: boolean;
  }
  let { job, sheet: saved, waits, proved }: Props = $props();

  const sheet = untrack(() => saved.document);
  const desk = untrack(
    () =>
      new TickDesk({ number: job, id: saved.id }, `gentle-tide-sheet-${saved.id}`, saved.ticks, () =>
        keepSheet(location.pathname + location.search),
      ),
  );
  const feed = feedHere();
  /** Whoever is signed in does what is ticked; where nobody has to, they say who they are. */
  const person = $derived(page.data['person'] as { name: string } | null);
  const titles = $derived(desk.waiting.map((one) => byId.get(one.item)?.title ?? one.item));
  const progress = $derived(progressOf(sheet, desk.ticks));
  const byId = $derived(new Map(progress.items.map((item) => [item.id, item])));
  let who = $state('');
  let now = $state(Date.now());
  let open = $state<string | null>(untrack(() => progressOf(sheet, saved.ticks).next?.id ?? null));

  onMount(() => {
    who = person?.name ?? readPersonHere();
    keepSheet(location.pathname + location.search);
    const deaf = feed.listen((heard) => concerns(heard, job) && desk.look());
    const timer = setInterval(() => (now = Date.now()), 1000);
    const end = desk.begin();
    // A page that this device kept is older than what waits on it.
    open = progressOf(sheet, desk.ticks).next?.id ?? null;
    return () => {
      clearInterval(timer);
      deaf();
      end();
    };
  });

  async function go(id: string): Promise<void> {
    open = id;
    await settled();
    document.getElementById(id)?.scrollIntoView({ behavior: 'smooth', block: 'start' });
  }
  function next(): void {
    const id = progressOf(sheet, desk.ticks).next?.id;
    if (id) void go(id);
    else open = null;
  }
  const phase = (item: Item): string => {
    if (item.kind === 'before') return 'Before';
    if (item.kind === 'after') return 'After';
    const at = sheet.runs.findIndex((run) =>
      [
        ...run.open,
        ...run.parts.flatMap((part) => [...part.steps, ...(part.commit ? [part.commit] : [])]),
        ...run.close,
      ].some((one) => one.id === item.id),
    );
    return sheet.runs[at]!.tool.name;
  };
  const stepTimes = (step: SheetStep, staged: boolean): string =>
    [
      `hands-on ${formatDuration(step.handsOn)}`,
      ...(step.waiting.high > 0
        ? [`waiting ${formatDuration(step.waiting)}${staged ? ' at the commit point' : ''}`]
        : []),
      ...(step.exposed.high > 0 ? [`exposed ${formatDuration(step.exposed)}`] : []),
    ].join(' · ');
  /** On paper everything is shown; what was opened for it is closed again. */
  let folded: HTMLDetailsElement[] = [];
  function unfold(open: boolean): void {
    if (open) folded = [...document.querySelectorAll<HTMLDetailsElement>('main details:not([open])')];
    for (const one of folded) one.open = open;
  }
  const found = $derived(
    drawStripPicture(sheet.asFound, sheet.disk.sectorSize, sheet.target.partition, 1000, 44),
  );
</script>

{#snippet card(id: string, body: Snippet, more: { label?: string; times?: string; heavy?: boolean } = {})}
  {@const item = byId.get(id)!}
  <ItemCard
    {item}
    tick={progress.ticks.get(id)}
    first={findBlockingItem(progress, item)?.title ?? null}
    open={open === id}
    {desk}
    {who}
    {now}
    {waits}
    {...more}
    ontoggle={() => (open = open === id ? null : id)}
    ondone={next}
  >
    {@render body()}
  </ItemCard>
{/snippet}

{#snippet checks(list: WorkSheet['before'])}
  {#each list as check (check.id)}
    {#snippet body()}<CheckBody {check} />{/snippet}
    {@render card(check.id, body)}
  {/each}
{/snippet}

{#if !person}
  <label class="who">
    <span>Who is at the machine</span>
    <input
      class="input"
      bind:value={who}
      maxlength="100"
      autocomplete="name"
      onchange={() => keepPerson(who)}
    />
  </label>
{/if}

<svelte:window onbeforeprint={() => unfold(true)} onafterprint={() => unfold(false)} />

<div class="bar">
  <Gauge {progress} {phase} ongo={(id) => void go(id)} />
  {#if desk.waiting.length > 0 || desk.offline || desk.signedOut}
    <div class="net" role="status">
      <p>
        {#if desk.offline}The server can’t be reached.{:else if desk.signedOut}Nobody is signed in on this
          device any more.{/if}
        {desk.waiting.length === 0
          ? 'Everything ticked so far is on it.'
          : `${desk.waiting.length === 1 ? '1 tick is' : `${desk.waiting.length} ticks are`} kept on this device and sent when ${desk.signedOut ? 'signInSomebody signs in' : 'it answers'}. Go on.`}
        {#if desk.signedOut}<a
            href="/sign-in?to={encodeURIComponent(page.url.pathname)}"
            data-sveltekit-reload>Sign in</a
          >{/if}
      </p>
      {#if desk.waiting.length > 0}
        <details>
          <summary>What waits to be sent</summary>
          <ol class="waits">
            {#each desk.waiting as one, i (one.id)}<li>{one.outcome}: {titles[i]}</li>{/each}
          </ol>
        </details>
      {/if}
    </div>
  {/if}
  {#if desk.refusal}
    <p class="net refused" role="alert">
      {desk.refusal.detail}
      <button type="button" class="btn btn-sm quiet" onclick={() => desk.again()}>Try again</button>
      <button type="button" class="btn btn-sm quiet" onclick={() => desk.discard()}
        >Let go of these ticks</button
      >
    </p>
  {/if}
</div>

{#if progress.failed}
  <div class="stop" role="status">
    <p><b>“{progress.failed.title}” failed.</b> {progress.ticks.get(progress.failed.id)?.note}</p>
    <p>
      The sheet ends here: what is on the disk may differ from what it says. Survey the machine as it is now,
      then plan on from there. Nothing else is done to it until then.
    </p>
    <p><a href="/jobs/{job}/survey" class="btn action">Give a new survey</a></p>
  </div>
{/if}

{#if progress.done === progress.items.length && !proved}
  <div class="finished" role="status">
    <p>
      <b>Everything on this sheet is ticked.</b> Now survey the machine once more, and hold it against this sheet.
    </p>
    <p><a href="/jobs/{job}/proof" class="btn action">Prove that nothing was lost</a></p>
  </div>
{/if}

<Part what="the disk as found">
  <section aria-label="As found" class="found">
    <h2>The disk as found</h2>
    <div class="strip" role="img" aria-label="The partitions in their order; the list below says the same">
      <!-- eslint-disable-next-line svelte/no-at-html-tags -- drawn by the core from numbers and letters -->
      {@html found}
    </div>
    <details>
      <summary>Every partition with start and size</summary>
      <ul class="columns">
        {#each sheet.asFound as piece, i (i)}
          <li>
            <b>{piece.name}</b>
            <span class="figure">{formatMib(piece.first * sheet.disk.sectorSize, sheet.disk.sectorSize)}</span
            >
            <span class="figure"
              >{formatMib(piece.sectors * sheet.disk.sectorSize, sheet.disk.sectorSize)}</span
            >
            <span class="figure soft">{formatSize(piece.sectors * sheet.disk.sectorSize)}</span>
          </li>
        {/each}
      </ul>
    </details>
  </section>
</Part>

<section aria-label="Before">
  <h2>Before</h2>
  <ol>{@render checks(sheet.before)}</ol>
</section>

{#each sheet.runs as run (run.id)}
  <Part what="the steps of {run.tool.name}">
    <section aria-label="With {run.tool.name}">
      <h2>
        {run.tool.name} <span class="disk">disk {run.disk}</span>
        <span class="soft"
          >it counts from {run.countsFrom} · {run.staged
            ? 'its steps are only staged until a commit point'
            : 'each step is real at once'}</span
        >
      </h2>
      {#if run.tool.notes}<p class="soft">{run.tool.notes}</p>{/if}
      <ol>
        {@render checks(run.open)}
        {#each run.parts as { steps, commit }, i (i)}
          {#each steps as step (step.id)}
            {#snippet body()}<StepBody {step} sectorSize={sheet.disk.sectorSize} />{/snippet}
            {@render card(step.id, body, {
              label: `Step ${step.number}`,
              times: stepTimes(step, commit !== null),
            })}
          {/each}
          {#if commit}
            {#snippet body()}<CheckBody check={commit} />{/snippet}
            {@render card(commit.id, body, { label: 'Commit point', heavy: true })}
          {/if}
        {/each}
        {@render checks(run.close)}
      </ol>
    </section>
  </Part>
{/each}

<section aria-label="While it runs" class="while">
  <h2>While it runs</h2>
  <div>
    <h3>Normal</h3>
    <ul>
      {#each sheet.whileItRuns.normal as text, i (i)}<li>{text}</li>{/each}
    </ul>
  </div>
  <div class="never">
    <h3>Must not happen</h3>
    <ul>
      {#each sheet.whileItRuns.never as text, i (i)}<li>{text}</li>{/each}
    </ul>
  </div>
</section>

<section aria-label="After">
  <h2>After</h2>
  <ol>{@render checks(sheet.after)}</ol>
</section>

<style>
  .bar {
    position: sticky;
    top: 0;
    z-index: 4;
    display: grid;
    gap: 0.375rem;
    padding: 0.625rem 1rem;
    border: 1px solid var(--line);
    border-radius: 0 0 0.75rem 0.75rem;
    background: var(--sheet);
  }
  .who {
    display: flex;
    align-items: center;
    gap: 0.75rem;
  }
  .who span {
    font-size: 0.875rem;
    font-weight: 600;
    white-space: nowrap;
  }
  .who .input {
    min-height: 2.75rem;
    max-width: 18rem;
  }
  .net {
    font-size: 0.875rem;
    font-weight: 600;
    color: var(--exposed);
  }
  .refused {
    color: var(--error);
  }
  .stop,
  .finished {
    display: grid;
    gap: 0.5rem;
    padding: 1rem 1.25rem;
    border-left: 5px solid var(--error);
    border-radius: 0.5rem;
    background: var(--error-ground);
  }
  .finished {
    border-left-color: var(--good);
    background: var(--card);
  }
  ol {
    display: grid;
    gap: 0.5rem;
  }
  h2 {
    font-size: 1.0625rem;
    break-after: avoid;
  }
  h2 .soft {
    font-size: 0.875rem;
  }
  h2 .disk {
    margin: 0 0.375rem;
    padding: 0.0625rem 0.5rem;
    border-radius: 0.375rem;
    background: var(--chip-accent);
    color: var(--accent-ink);
  }
  .strip :global(svg) {
    width: 100%;
    height: auto;
    max-height: 4rem;
  }
  summary {
    padding: 0.25rem 0;
  }
  .columns {
    display: flex;
    flex-wrap: wrap;
    gap: 0.5rem 1.25rem;
    font-size: 0.8125rem;
  }
  .columns li span,
  .columns li b {
    display: block;
  }
  .while {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.5rem 1.5rem;
  }
  .while h2 {
    grid-column: 1 / -1;
  }
  .while div {
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--good);
    background: var(--card);
    border-radius: 0.375rem;
  }
  .while .never {
    border-color: var(--exposed);
  }
  .while ul {
    list-style: disc;
    padding-left: 1.125rem;
    display: grid;
    gap: 0.25rem;
  }
  h3 {
    font-weight: 700;
    font-size: 0.875rem;
    margin-bottom: 0.25rem;
  }
  @media (max-width: 56rem) {
    .while {
      grid-template-columns: 1fr;
    }
  }
  @media print {
    .bar,
    .who,
    .stop,
    .finished {
      display: none;
    }
  }
</style>
