<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { invalidateAll } from '$app/navigation';
  import { page } from '$app/state';
  import { formatMinute } from '$ui/survey/surveyLine';
  import Refused from '$ui/Refused.svelte';
  import { describeRehearsal } from '$core/executor/line';
  import Head from '$ui/sheet/Head.svelte';
  import Sheet from '$ui/sheet/Sheet.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const route = $derived(job.answer?.routes[job.chosen] ?? null);
  /** Somebody has to say first that it is worked from all the same. */
  const waits = $derived(data.stale?.word === 'wanted');
  const mayTick = $derived(data.person?.role !== 'reader');
  const newest = $derived(data.sheets[0]?.id === data.sheet?.id);
  const chosenRehearsed = $derived(
    job.rehearsal?.current ? describeRehearsal({ ...job.rehearsal, at: job.rehearsal.changedAt }) : null,
  );
  const rehearsed = $derived(data.sheet ? data.sheet.rehearsed : chosenRehearsed);
  let refusal = $state<Refusal | null>(null);

  async function workDespite(): Promise<void> {
    const address = { number: job.number, id: data.sheet!.id };
    const body = { against: data.stale!.against };
    const reply = await call('PUT /jobs/{number}/sheets/{id}/despite', { ...address, body });
    refusal = reply.ok ? null : reply.refusal;
    await invalidateAll();
  }
  async function make(version = job.version): Promise<void> {
    const reply = await call('POST /jobs/{number}/sheets', { number: job.number, body: { version } });
    refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) await invalidateAll();
  }
</script>

<svelte:head><title>Work sheet · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page middle">
  {#if rehearsed}<p class="rehearsed">{rehearsed}</p>{/if}
  {#if data.sheet}
    {@const sheet = data.sheet}
    <Head
      sheet={sheet.document}
      made={sheet.createdAt}
      address="{page.url.origin}/jobs/{job.number}/sheet"
      files={waits || data.stale?.word === 'no' ? null : `/api/v1/jobs/${job.number}/sheets/${sheet.id}`}
      who="{job.customer}, {job.machine}"
    />
    <!-- That a step failed stands further down, with what to do about it. -->
    {#if data.stale && !(newest && job.sheet?.current && job.sheet.failed)}
      <div class="stale" role="status">
        <p>
          <b
            >{waits || data.stale.word === 'no'
              ? 'Do not work from this sheet.'
              : 'Worked from all the same.'}</b
          >
          {data.stale.why}
        </p>
        {#if waits}<p>Ticking and printing wait for your word.</p>{/if}
        <p class="ways">
          {#if job.goal && !job.goal.stale && route}
            <button type="button" class="btn btn-sm quiet" onclick={() => make()}
              >Make a new sheet of the chosen route</button
            >
          {:else}
            <a class="btn btn-sm quiet" href="/jobs/{job.number}/target">Plan on from the newest survey</a>
          {/if}
          {#if waits && mayTick}
            <button type="button" class="btn btn-sm quiet" onclick={() => workDespite()}
              >Work from this sheet all the same</button
            >
          {/if}
        </p>
      </div>
    {/if}
    {#if !newest}<p class="soft">
        An earlier sheet of this job. <a href="/jobs/{job.number}/sheet">See the newest</a>
      </p>{/if}
    {#if refusal}<Refused {refusal} onoverwrite={(version) => void make(version)} />{/if}
    {#key sheet.id}<Sheet
        job={job.number}
        {sheet}
        {waits}
        proved={newest && job.sheet?.verdict === 'proved'}
      />{/key}
    {#if data.sheets.length > 1}
      <section aria-label="Sheets of this job" class="others">
        <h2>All sheets of this job</h2>
        <ul>
          {#each data.sheets as one (one.id)}
            <li>
              <a
                href="/jobs/{job.number}/sheet?sheet={one.id}"
                aria-current={one.id === sheet.id ? 'page' : undefined}
                >{formatMinute(one.createdAt)} UTC · {one.title}</a
              >
              <span class="soft"
                >{one.done} of {one.items} done{one.failed ? `, failed: ${one.failed}` : ''}</span
              >
            </li>
          {/each}
        </ul>
      </section>
    {/if}
  {:else if route && !job.goal?.stale}
    <h1>Work sheet</h1>
    <div class="empty">
      <p>There is no sheet yet. It is made of the chosen route:</p>
      <p class="route"><b>{route.title}</b> · {route.steps.length} steps</p>
      {#if refusal}<Refused {refusal} onoverwrite={(version) => void make(version)} />{/if}
      <button type="button" class="btn action" onclick={() => make()}>Make the work sheet</button>
      <p class="soft">
        <a href="/jobs/{job.number}/route">See the route once more</a>; a drawing’s sheet is made where it is
        drawn.
      </p>
    </div>
  {:else}
    <h1>Work sheet</h1>
    <p class="empty">
      A sheet is made of a route that holds for the newest survey. There is none:
      <a href="/jobs/{job.number}/target">set the goal</a> and choose a route first.
    </p>
  {/if}
</main>

<style>
  .rehearsed {
    margin-bottom: 0.75rem;
    font-weight: 600;
  }
  .stale {
    display: grid;
    gap: 0.5rem;
    padding: 1rem;
    border-left: 4px solid var(--error);
    background: var(--error-ground);
    border-radius: 0.375rem;
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: 0.5rem;
  }
  .empty {
    display: grid;
    justify-items: center;
    gap: 0.75rem;
    padding: 3rem 1.5rem;
    text-align: center;
    border: 1.5px dashed var(--dry-line);
    border-radius: 0.75rem;
  }
  .route {
    font-size: 1.125rem;
  }
  a:not(.btn) {
    color: var(--accent-ink);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .others li {
    display: flex;
    gap: 1rem;
    padding: 0.25rem 0;
  }
  [aria-current] {
    font-weight: 650;
  }
  @media print {
    .others {
      display: none;
    }
  }
</style>
