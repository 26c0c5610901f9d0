<script lang="ts">
  import { page } from '$app/state';
  import JobPath from '$ui/JobPath.svelte';
  import { stageStates } from '$ui/stages';
  import type { LayoutProps } from './$types';

  let { data, children }: LayoutProps = $props();
  /** A drawing is worked on from the Route screen. */
  const here = $derived.by(() => {
    const part = page.url.pathname.split('/')[3] ?? '';
    return part === 'drawing' ? 'route' : part;
  });
</script>

<JobPath number={data.job.number} states={stageStates(data.job)} {here} />
{@render children()}
