<script lang="ts">
  import { call } from '$contract/client';
  import { goto, invalidateAll } from '$app/navigation';
  import { page } from '$app/state';
  import { onMount } from 'svelte';
  import { feedHere } from '$ui/feed/here';
  import { Refresh } from '$ui/feed/refresh';
  import { readImage } from '$lib/workers/readImage';
  import type { ReadImage } from '$ui/survey/Intake.svelte';
  import DropAnywhere from '$ui/jobs/DropAnywhere.svelte';
  import { listAddress } from '$ui/listAddress';
  import MiniBasin from '$ui/MiniBasin.svelte';
  import { STOPS as STAGES } from '$ui/stages';
  import { formatCount, formatShare, formatSize } from '$core/units';
  import type { PageProps } from './$types';

  const image: ReadImage = (image, onprogress, signal) =>
    readImage(
      { ...image, machineName: image.file.name.replace(/\.[^.]+$/, ''), takenAt: new Date().toISOString() },
      onprogress,
      signal,
    );

  let { data }: PageProps = $props();
  const feed = feedHere();
  onMount(() => {
    const refresh = new Refresh();
    const deaf = feed.listen(() => refresh.soon());
    return () => {
      deaf();
      refresh.end();
    };
  });
  /** Where nobody signs in, everybody may everything. */
  const role = $derived(data.signIn ? (data.person?.role ?? 'reader') : 'owner');
  type Summary = PageProps['data']['jobs'][number];

  const STOPS = [...STAGES, { id: 'done', name: 'Done' }] as const;
  const at = (stage: Summary['stage']) => STOPS.findIndex((candidate) => candidate.id === stage);
  const today = new Date().toISOString().slice(0, 10);
  const next = (job: Summary): string => {
    if (job.stage === 'survey') return 'waits for a survey';
    if (job.stale) return 'a newer survey, target or setting makes its goal stale';
    if (job.stage === 'diagnosis') return 'waits for a size to be chosen';
    if (job.stage === 'target') return 'the size asked for is out of reach';
    if (job.sheet?.failed) return `stopped: ${job.sheet.failed}. It waits for a new survey`;
    if (job.stage === 'sheet') return `${job.sheet!.done} of ${job.sheet!.items} ticked`;
    if (job.stage === 'proof') return 'waits to be proved';
    if (job.stage === 'done') return 'proved; ready to be handed back';
    return job.routeTitle ?? '';
  };
  const screen = (job: Summary): string => (job.stage === 'done' ? 'proof' : job.stage);

  const SHOW = [
    ['open', 'In the workshop'],
    ['due', 'Due or late'],
    ['archived', 'Archive'],
  ] as const;
  const SORT = [
    ['changed', 'last changed'],
    ['due', 'due date'],
    ['customer', 'customer'],
    ['number', 'number'],
  ] as const;

  const ask = (change: Record<string, string>): string => listAddress(page.url, change);
  let waiting: ReturnType<typeof setTimeout> | undefined;
  function search(text: string): void {
    clearTimeout(waiting);
    waiting = setTimeout(
      () => void goto(ask({ q: text.trim() }), { keepFocus: true, noScroll: true, replaceState: true }),
      200,
    );
  }
  const pages = $derived(Math.max(1, Math.ceil(data.total / data.query.size)));
  const first = $derived((data.query.page - 1) * data.query.size + 1);
  const narrowed = $derived(
    data.query.text !== '' || data.query.stage !== null || data.query.show !== 'open',
  );

  let refused = $state('');
  /**
   * The file that is being taken over, and how to stop it: the workshop makes its plans and sheets again, which takes a
   * while.
   */
  let taking = $state.raw<{ name: string; stop: AbortController } | null>(null);
  async function take(files: FileList | null): Promise<void> {
    const file = files?.[0];
    if (!file) return;
    refused = '';
    const stop = new AbortController();
    taking = { name: file.name, stop };
    const asked = { body: file, type: 'application/zip' as const };
    const reply = await call('POST /jobs/import', asked, { signal: stop.signal });
    if (reply.ok) await goto(`/jobs/${reply.value.number}/about`);
    else if (stop.signal.aborted)
      refused = `“${file.name}” was stopped. It was not taken over, unless it stands in the list already.`;
    else if (reply.refusal.status === 0)
      refused = 'The server cannot be reached. Nothing was taken over; try again when it runs.';
    else refused = `“${file.name}” was not taken over: ${reply.refusal.detail}`;
    taking = null;
    await invalidateAll();
  }
</script>

<svelte:head><title>Jobs · Gentle Tide</title></svelte:head>

<main class="page middle">
  <div class="page-top">
    <div>
      <h1>Jobs</h1>
      <p class="soft">
        {#if narrowed}{formatCount(data.total)} {data.total === 1 ? 'job fits' : 'jobs fit'}.
        {:else}{data.total === 1 ? 'One machine is' : `${formatCount(data.total)} machines are`} in.{/if}
      </p>
    </div>
    <div class="new">
      {#if role === 'owner'}<label class="btn quiet take">
          Take over from another bench
          <input
            type="file"
            accept=".zip,application/zip"
            disabled={taking !== null}
            class="visually-hidden"
            onchange={(event) => void take(event.currentTarget.files)}
          />
        </label>{/if}
      {#if role !== 'reader'}<a href="/jobs/new" class="btn action">New job</a>{/if}
    </div>
  </div>
  {#if refused}<p role="alert" class="refused">{refused}</p>{/if}
  {#if role !== 'reader'}<DropAnywhere readImage={image} />{/if}
  {#if taking}
    <p role="status" class="taking">
      <progress aria-label="Taking over"></progress>
      “{taking.name}” is checked: its plans and sheets are made again.
      <button type="button" class="btn btn-sm quiet" onclick={() => taking?.stop.abort()}>Stop</button>
    </p>
  {/if}

  <search>
    <input
      class="input"
      type="search"
      aria-label="Search number, customer, machine and notes"
      placeholder="Number, customer, machine, notes"
      value={data.query.text}
      oninput={(event) => search(event.currentTarget.value)}
    />
    <div class="shown" role="group" aria-label="Which jobs">
      {#each SHOW as [id, name] (id)}
        <a
          href={ask({ show: id === 'open' ? '' : id })}
          aria-current={data.query.show === id ? 'true' : undefined}
          data-sveltekit-noscroll>{name}</a
        >
      {/each}
    </div>
    <label>
      <span class="visually-hidden">At which stage</span>
      <select
        class="input"
        value={data.query.stage ?? ''}
        onchange={(event) => void goto(ask({ stage: event.currentTarget.value }), { noScroll: true })}
      >
        <option value="">every stage</option>
        {#each STOPS as stage (stage.id)}
          <option value={stage.id}>{stage.name} ({formatCount(data.stages[stage.id] ?? 0)})</option>
        {/each}
      </select>
    </label>
    <label>
      <span class="visually-hidden">Ordered by</span>
      <select
        class="input"
        value={data.query.sort}
        onchange={(event) => void goto(ask({ sort: event.currentTarget.value }), { noScroll: true })}
      >
        {#each SORT as [id, name] (id)}<option value={id}>by {name}</option>{/each}
      </select>
    </label>
  </search>

  {#if data.jobs.length === 0}
    <p class="empty">
      {#if narrowed}No job fits. <a href="/">Show all that are in the workshop</a>.
      {:else}No machine is in. Add a job and give it a survey of the machine’s disks, or drop a survey or a
        disk image anywhere here.{/if}
    </p>
  {/if}
  <ul>
    {#each data.jobs as job (job.number)}
      <li>
        <a href="/jobs/{job.number}/{screen(job)}" class="job">
          {#if job.target}
            <MiniBasin size={job.target.size} used={job.target.used} name={job.target.name} />
          {:else}
            <span class="no-basin" aria-hidden="true"></span>
          {/if}
          <span class="who">
            <span class="title">{job.customer}</span>
            <span class="soft"
              ><span class="figure">{job.number}</span> · {job.machine}{#if job.before !== null}<span
                  class="back">back, was <span class="figure">{job.before}</span></span
                >{/if}</span
            >
          </span>
          <span class="fill">
            {#if job.target}
              <span class="title"
                >{job.target.name}
                {#if job.target.used !== null}{formatShare(job.target.used, job.target.size)} full{/if}</span
              >
              <span class="soft figure"
                >{formatSize(job.target.size)}{job.goal ? ` → ${formatSize(job.goal)}` : ''}</span
              >
            {:else}
              <span class="soft">no target yet</span>
            {/if}
          </span>
          <span class="stage">
            <span class="path" aria-hidden="true">
              {#each STAGES as stage, i (stage.id)}
                <span class="dot" class:reached={i < at(job.stage)} class:here={i === at(job.stage)}></span>
              {/each}
            </span>
            <span>
              <span class="title"
                >{STOPS[at(job.stage)]?.name}{#if job.stale}<span class="stale">stale</span
                  >{/if}{#if job.due}<span class="due" class:late={job.due < today}
                    >{job.due < today ? 'late' : 'due'} {job.due}</span
                  >{/if}</span
              >
              <span class="soft">{next(job)}</span>
            </span>
          </span>
        </a>
      </li>
    {/each}
  </ul>
  {#if pages > 1}
    <nav aria-label="Pages" class="pages">
      {#if data.query.page > 1}<a href={`${ask({ page: String(data.query.page - 1) })}`} rel="prev"
          >Earlier in the list</a
        >{/if}
      <span class="soft"
        >{formatCount(first)} to {formatCount(first + data.jobs.length - 1)} of {formatCount(
          data.total,
        )}</span
      >
      {#if data.query.page < pages}<a href={ask({ page: String(data.query.page + 1) })} rel="next">Further</a
        >{/if}
    </nav>
  {/if}
</main>

<style>
  ul {
    display: grid;
    gap: 0.625rem;
  }
  .new,
  .pages {
    display: flex;
    gap: 0.75rem;
    align-items: center;
  }
  .pages {
    justify-content: center;
  }
  .pages a,
  .empty a {
    color: var(--accent-ink);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .take {
    cursor: pointer;
  }
  .take:focus-within {
    outline: 3px solid var(--focus);
    outline-offset: 2px;
  }
  progress {
    appearance: none;
    width: 9rem;
    height: 0.5rem;
    border-radius: 1rem;
    background: linear-gradient(90deg, var(--line) 30%, var(--accent) 50%, var(--line) 70%);
    background-size: 300% 100%;
    animation: flow 2s linear infinite;
  }
  progress::-webkit-progress-bar {
    background: transparent;
  }
  @keyframes flow {
    from {
      background-position: 100% 0;
    }
    to {
      background-position: 0 0;
    }
  }
  @media (prefers-reduced-motion: reduce) {
    progress {
      animation: none;
    }
  }
  .taking {
    display: flex;
    align-items: center;
    gap: 0.75rem;
  }
  .refused {
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--error);
    background: var(--error-ground);
    border-radius: 0.375rem;
  }
  search {
    display: grid;
    grid-template-columns: minmax(14rem, 1fr) auto auto auto;
    gap: 0.75rem;
    align-items: center;
  }
  .shown {
    display: flex;
    gap: 0.25rem;
  }
  .shown a {
    padding: 0.5rem 0.75rem;
    border-radius: 0.5rem;
    font-weight: 600;
    color: var(--ink-soft);
    white-space: nowrap;
  }
  .shown a[aria-current] {
    color: var(--ink);
    box-shadow: inset 0 -3px 0 var(--accent);
    border-radius: 0;
  }
  .job {
    display: grid;
    grid-template-columns: 4rem minmax(12rem, 1.2fr) minmax(10rem, 0.8fr) minmax(16rem, 1.6fr);
    align-items: center;
    gap: 1.25rem;
    padding: 0.75rem 1.125rem;
    background: var(--card);
    border: 1px solid var(--line);
    border-radius: 0.75rem;
  }
  .job:hover {
    border-color: var(--accent);
  }
  .job > span > span {
    display: block;
  }
  .title {
    font-weight: 650;
  }
  .figure {
    font-size: 0.875rem;
  }
  .who .figure {
    display: inline;
  }
  .stage {
    display: flex;
    align-items: center;
    gap: 1rem;
    min-width: 0;
  }
  .stage .soft {
    display: block;
    font-size: 0.875rem;
  }
  .stage .path {
    display: flex;
  }
  .path {
    background: linear-gradient(var(--line-strong), var(--line-strong)) center / 100% 2px no-repeat;
  }
  .dot {
    background: var(--card);
    width: 0.75rem;
    height: 0.75rem;
    border-radius: 50%;
    border: 2px solid var(--line-strong);
  }
  .dot + .dot {
    margin-left: 0.375rem;
  }
  .dot.reached {
    background: var(--good);
    border-color: var(--good);
  }
  .dot.here {
    border: 4px solid var(--accent);
  }
  .stale,
  .back,
  .due {
    margin-left: 0.5rem;
    padding: 0 0.375rem;
    border-radius: 0.25rem;
    font-size: 0.75rem;
    background: var(--chip);
    color: var(--chip-ink);
  }
  .back {
    border: 1px solid var(--windows-line);
    background: none;
    color: var(--ink);
    white-space: nowrap;
  }
  .due.late {
    background: var(--error-ground);
    color: var(--error);
  }
  .no-basin {
    width: 64px;
    height: 44px;
    border: 1.5px dashed var(--dry-line);
    border-radius: 6px;
  }
  .empty {
    padding: 3rem;
    text-align: center;
    border: 1.5px dashed var(--dry-line);
    border-radius: 0.75rem;
    color: var(--ink-soft);
  }
  @media (max-width: 60rem) {
    search {
      grid-template-columns: 1fr 1fr;
    }
    .job {
      grid-template-columns: 4rem 1fr 1fr;
    }
    .stage {
      grid-column: 2 / -1;
    }
  }
</style>
