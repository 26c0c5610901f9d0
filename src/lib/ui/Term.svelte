<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A word that explains itself in place: a quiet underline, a sentence on focus or hover. */
  let { word, children }: { word: string; children: Snippet } = $props();
  const id = $props.id();
</script>

<span class="term"
  ><button type="button" aria-describedby={id}>{word}</button><span role="tooltip" {id}
    >{@render children()}</span
  ></span
>

<style>
  .term {
    position: relative;
  }
  button {
    text-decoration: underline dotted;
    text-underline-offset: 3px;
    cursor: help;
  }
  [role='tooltip'] {
    position: absolute;
    z-index: 5;
    left: 0;
    top: calc(100% + 4px);
    width: max-content;
    max-width: 16rem;
    padding: 0.5rem 0.75rem;
    border-radius: 0.5rem;
    background: var(--ink);
    color: var(--paper);
    font-size: 0.8125rem;
    visibility: hidden;
    opacity: 0;
    transition: opacity 120ms;
  }
  .term:hover [role='tooltip'],
  button:focus-visible + [role='tooltip'] {
    visibility: visible;
    opacity: 1;
  }
</style>
