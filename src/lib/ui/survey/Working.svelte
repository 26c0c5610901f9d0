<script lang="ts">
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import type { Snippet } from 'svelte';

  /** Something that takes long: what it is, how far it is (0..1), and what can be done about it. */
  let { label, share, children }: { label: string; share: number; children: Snippet } = $props();
</script>

<div class="work">
  <Progress value={Math.floor(share * 100)} max={100}>
    <Progress.Label>{label}</Progress.Label>
    <Progress.Track><Progress.Range /></Progress.Track>
  </Progress>
  {@render children()}
</div>

<style>
  .work {
    display: grid;
    gap: 0.75rem;
    justify-items: start;
    padding: 1rem;
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    background: var(--card);
  }
  .work :global([data-scope='progress'][data-part='root']) {
    width: 100%;
  }
  .work :global([data-part='range']) {
    background: var(--accent);
  }
</style>
