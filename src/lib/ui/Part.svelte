<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    /** What is shown, in a sentence: "the chart". */
    what: string;
    children: Snippet;
  }
  /** A part of a page that may fail to draw without taking the rest of the page along. */
  let { what, children }: Props = $props();
</script>

<svelte:boundary onerror={(error) => console.error(error)}>
  {@render children()}
  {#snippet failed(error, again)}
    <div class="failed" role="alert" title={String(error)}>
      <p><b>A defect of Gentle Tide keeps {what} from being shown.</b> The rest of the page holds.</p>
      <p><button type="button" class="btn btn-sm quiet" onclick={again}>Try again</button></p>
    </div>
  {/snippet}
</svelte:boundary>

<style>
  .failed {
    display: grid;
    gap: 0.5rem;
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--error);
    border-radius: 0.375rem;
    background: var(--error-ground);
  }
</style>
