<script lang="ts">
  import { page } from '$app/state';
  import Elsewhere from '$ui/feed/Elsewhere.svelte';
  import JobPath from '$ui/JobPath.svelte';
  import Part from '$ui/Part.svelte';
  import { computeStageStates } from '$ui/stages';
  import type { LayoutProps } from './$types';

  let { data, children }: LayoutProps = $props();
  /** A drawing is worked on from the Route screen. */
  const here = $derived.by(() => {
    const part = page.url.pathname.split('/')[3] ?? '';
    return part === 'drawing' ? 'route' : part;
  });
</script>

<Elsewhere job={data.job.number} version={data.job.version} />
<JobPath number={data.job.number} states={computeStageStates(data.job)} {here} />
{#if data.job.unshown.length > 0}
  <div class="unshown" role="alert">
    {#each data.job.unshown as sentence, i (i)}<p>{sentence}</p>{/each}
    <p>
      It is kept as it is. <a href="/api/v1/jobs/{data.job.number}/export" download>Export the job</a>, give
      it a
      <a href="/jobs/{data.job.number}/survey">new survey</a> to go on, or
      <a href="/jobs/{data.job.number}/about">delete it</a>.
    </p>
  </div>
{/if}
<Part what="this screen">{@render children()}</Part>

<style>
  .unshown {
    margin: 0.75rem 1.25rem 0;
    padding: 0.625rem 0.875rem;
    border: 1px solid var(--error);
    border-radius: 0.5rem;
    overflow-wrap: anywhere;
  }
  a {
    text-decoration: underline;
  }
</style>
