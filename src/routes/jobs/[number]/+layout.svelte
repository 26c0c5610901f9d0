<script lang="ts">
  import { page } from '$app/state';
  import JobPath from '$ui/JobPath.svelte';
  import { stageStates } from '$ui/stages';
  import type { LayoutProps } from './$types';

  let { data, children }: LayoutProps = $props();
</script>

<JobPath
  number={data.job.number}
  states={stageStates(data.job)}
  here={page.url.pathname.split('/')[3] ?? ''}
/>
{@render children()}
