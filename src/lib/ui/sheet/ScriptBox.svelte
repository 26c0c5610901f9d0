<script lang="ts">
  import type { Script } from '$core/worksheet';

  /** Lines ready to be copied. */
  let { script }: { script: Script } = $props();
  let said = $state('');

  async function copy(): Promise<void> {
    try {
      await navigator.clipboard.writeText(script.text);
      said = 'Copied.';
    } catch {
      said = 'The browser did not allow it: select the lines and copy them by hand.';
    }
  }
</script>

<figure>
  <figcaption>
    <span>{script.title}</span>
    <span role="status" class="said">{said}</span>
    <button type="button" class="btn btn-sm quiet" onclick={copy}>Copy the lines</button>
  </figcaption>
  <!-- Long lines are scrolled with the arrow keys. -->
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <pre class="figure" tabindex="0">{script.text}</pre>
</figure>

<style>
  figure {
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    overflow: hidden;
    background: var(--sheet);
  }
  figcaption {
    display: flex;
    align-items: center;
    gap: 0.75rem;
    padding: 0.375rem 0.5rem 0.375rem 0.75rem;
    font-size: 0.8125rem;
    color: var(--ink-soft);
    border-bottom: 1px solid var(--line);
  }
  .said {
    flex: 1;
    text-align: right;
  }
  pre {
    padding: 0.625rem 0.75rem;
    font-size: 0.78rem;
    line-height: 1.4;
    max-height: 15rem;
    overflow: auto;
  }
  @media print {
    button,
    .said {
      display: none;
    }
    pre {
      max-height: none;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
      font-size: 6.5pt;
    }
  }
</style>
