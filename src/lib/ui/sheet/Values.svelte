<script lang="ts">
  /** What is to be read off or typed: label and text. */
  let { values }: { values: readonly { label: string; text: string }[] } = $props();
</script>

{#if values.length > 0}
  <dl>
    {#each values as { label, text }, i (i)}
      <dt>{label}</dt>
      <dd class="figure">{text}</dd>
    {/each}
  </dl>
{/if}

<style>
  dl {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr);
    gap: 0.125rem 1.25rem;
    font-size: 0.875rem;
  }
  dt {
    color: var(--ink-soft);
  }
  dd {
    overflow-wrap: anywhere;
  }
</style>
