<script lang="ts">
  import MiniBasin from '$ui/MiniBasin.svelte';
  import { STAGES, type StageId } from '$ui/stages';
  import { formatShare, formatSize } from '$core/units';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  type Summary = PageProps['data']['jobs'][number];

  const at = (stage: StageId) => STAGES.findIndex((candidate) => candidate.id === stage);
  const next = (job: Summary): string => {
    if (job.stage === 'survey') return 'waits for a survey';
    if (job.stale) return 'a newer survey or target makes its goal stale';
    if (job.stage === 'diagnosis') return 'waits for a size to be chosen';
    if (job.stage === 'target') return 'the size asked for is out of reach';
    return job.routeTitle ?? '';
  };
</script>

<svelte:head><title>Jobs · Gentle Tide</title></svelte:head>

<main class="page middle">
  <div class="page-top">
    <div>
      <h1>Jobs</h1>
      <p class="soft">{data.jobs.length === 1 ? 'One machine is' : `${data.jobs.length} machines are`} in.</p>
    </div>
    <a href="/jobs/new" class="btn action">New job</a>
  </div>

  {#if data.jobs.length === 0}
    <p class="empty">No machine is in. Add a job, then give it a survey of the machine’s disks.</p>
  {/if}
  <ul>
    {#each data.jobs as job (job.number)}
      <li>
        <a href="/jobs/{job.number}/{job.stage}" class="job">
          {#if job.target}
            <MiniBasin size={job.target.size} used={job.target.used} name={job.target.name} />
          {:else}
            <span class="no-basin" aria-hidden="true"></span>
          {/if}
          <span class="who">
            <span class="title">{job.customer}</span>
            <span class="soft"><span class="figure">{job.number}</span> · {job.machine}</span>
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
                >{STAGES[at(job.stage)]?.name}{#if job.stale}<span class="stale">stale</span>{/if}</span
              >
              <span class="soft">{next(job)}</span>
            </span>
          </span>
        </a>
      </li>
    {/each}
  </ul>
</main>

<style>
  ul {
    display: grid;
    gap: 0.625rem;
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
    margin-left: 0.625rem;
  }
  .dot.reached {
    background: var(--good);
    border-color: var(--good);
  }
  .dot.here {
    border: 4px solid var(--accent);
  }
  .stale {
    margin-left: 0.5rem;
    padding: 0 0.375rem;
    border-radius: 0.25rem;
    font-size: 0.75rem;
    background: var(--chip);
    color: var(--chip-ink);
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
    .job {
      grid-template-columns: 4rem 1fr 1fr;
    }
    .stage {
      grid-column: 2 / -1;
    }
  }
</style>
