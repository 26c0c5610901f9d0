<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A screen of a job: what it is about, a column of figures and buttons beside it, and a line below. */
  interface Props {
    children: Snippet;
    /** Name of the column. */
    label: string;
    column?: Snippet | undefined;
    foot?: Snippet | undefined;
    /** What it is about needs the whole width: the column comes below. */
    wide?: boolean;
  }
  let { children, label, column, foot, wide = false }: Props = $props();
</script>

<div class="screen" class:wide>
  <main>{@render children()}</main>
  {#if column}
    <aside aria-label={label}>{@render column()}</aside>
  {/if}
  {@render foot?.()}
</div>

<style>
  .screen {
    flex: 1;
    display: grid;
    grid-template-columns: minmax(0, 1fr) 21.25rem;
    grid-template-rows: 1fr auto;
  }
  main {
    padding: 1rem 0.5rem 1rem 1.25rem;
    min-width: 0;
  }
  aside {
    grid-row: 1 / 3;
    grid-column: 2;
    background: var(--sheet);
    border-left: 1px solid var(--line);
    padding: 1rem 1.125rem;
    display: flex;
    flex-direction: column;
  }
  .wide {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: auto;
  }
  .wide aside {
    grid-row: auto;
    grid-column: 1;
    border-left: 0;
    border-top: 1px solid var(--line);
  }
  @media (max-width: 64rem) {
    .screen {
      grid-template-columns: minmax(0, 1fr);
      grid-template-rows: auto;
    }
    aside {
      grid-row: auto;
      grid-column: 1;
      border-left: 0;
      border-top: 1px solid var(--line);
    }
  }
</style>
