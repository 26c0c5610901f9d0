<script lang="ts">
  import type { Hint } from '$core/drawing';
  import type { DrawingStore } from './drawingStore.svelte';

  /** Advice on the drawing, each piece said once. */
  let { store }: { store: DrawingStore } = $props();

  function fix(hint: Hint): void {
    if (hint.fix) store.edit(hint.fix.edit);
  }
</script>

{#if store.hints.length > 0}
  <section aria-label="Advice" aria-live="polite">
    {#each store.hints as hint (hint.key)}
      <article class={hint.severity}>
        <h3>{hint.title}</h3>
        <p>{hint.detail}</p>
        <div class="row">
          {#if hint.fix}<button class="btn action" onclick={() => fix(hint)}>{hint.fix.label}</button>{/if}
          <button class="btn quiet" aria-label="Understood: {hint.title}" onclick={() => store.hush(hint.key)}
            >Understood</button
          >
        </div>
      </article>
    {/each}
  </section>
{/if}

<style>
  section {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 0.5rem;
  }
  article {
    padding: 0.5rem 0.75rem;
    border-radius: 0.5rem;
    background: var(--card);
    border: 1px solid var(--line);
    border-left: 5px solid var(--accent);
  }
  .costs {
    border-left-color: var(--exposed);
  }
  .blocks {
    border: 2px solid var(--exposed);
    border-left-width: 5px;
  }
  h3 {
    font-size: 0.9375rem;
    font-weight: 700;
    line-height: 1.25;
  }
  p {
    font-size: 0.8438rem;
    line-height: 1.35;
    color: var(--ink-soft);
    margin: 0.125rem 0 0.375rem;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem;
  }
  .row .btn {
    padding: 0.1875rem 0.625rem;
    font-size: 0.8438rem;
    white-space: normal;
    text-align: left;
    overflow-wrap: anywhere;
  }
</style>
