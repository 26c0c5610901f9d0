<script lang="ts">
  import type { Refusal } from '$contract/client';

  /** A refusal at the place where it came up. On a conflict it offers the choice instead of overwriting. */
  let { refusal, onoverwrite }: { refusal: Refusal; onoverwrite?: (version: number) => void } = $props();
</script>

<div role="alert" class="refused">
  <p><b>{refusal.detail}</b></p>
  {#if refusal.fields.length > 1}
    <ul>
      {#each refusal.fields as field, i (i)}
        <li>
          {#if field.path}<code class="figure">{field.path}</code>:
          {/if}{field.message}
        </li>
      {/each}
    </ul>
  {:else if refusal.fields[0]?.path}
    <p>At <code class="figure">{refusal.fields[0].path}</code>.</p>
  {/if}
  {#if refusal.current !== null && onoverwrite}
    <p class="choice">
      <button type="button" class="btn btn-sm quiet" onclick={() => location.reload()}
        >See what is there now</button
      >
      <button type="button" class="btn btn-sm quiet" onclick={() => onoverwrite(refusal.current!)}
        >Save mine over it</button
      >
    </p>
  {/if}
</div>

<style>
  .refused {
    display: grid;
    gap: 0.375rem;
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--error);
    background: var(--error-ground);
    border-radius: 0.375rem;
  }
  ul {
    padding-left: 1.1rem;
    list-style: disc;
    max-height: 12rem;
    overflow: auto;
  }
  code {
    font-size: 0.8125rem;
    overflow-wrap: anywhere;
  }
  .choice {
    display: flex;
    flex-wrap: wrap;
    gap: 0.5rem;
    padding-top: 0.25rem;
  }
</style>
