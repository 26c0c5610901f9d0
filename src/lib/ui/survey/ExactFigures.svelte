<script lang="ts">
  import Copy from '@lucide/svelte/icons/copy';
  import type { Basin } from '$core/chart';
  import type { Disk } from '$core/disk';
  import { listExactFigures, exactTextOf } from '$core/survey';

  /** What is pointed at, or null. */
  let { at }: { at: { disk: Disk; basin: Basin } | null } = $props();

  let said = $state('');
  const figures = $derived(at ? listExactFigures(at.disk, at.basin.extent, at.basin.partition) : []);
  const name = $derived(
    at?.basin.partition ? `partition ${at.basin.partition.number}, ${at.basin.name}` : (at?.basin.name ?? ''),
  );

  async function copy(): Promise<void> {
    if (!at) return;
    try {
      await navigator.clipboard.writeText(exactTextOf(at.disk, name, figures));
      said = `Copied the figures of ${name}.`;
    } catch {
      said = 'The browser does not let this page copy. Select the figures instead.';
    }
  }

  function keys(event: KeyboardEvent): void {
    const typing = event.target instanceof HTMLElement && event.target.closest('input, textarea, select');
    if (typing || event.ctrlKey || event.metaKey || event.altKey || event.key.toLowerCase() !== 'c') return;
    void copy();
  }
  $effect(() => {
    void at;
    said = '';
  });
</script>

<svelte:window onkeydown={keys} />

<footer aria-label="Exact figures">
  {#if at}
    <b class="name" title={name}>Disk {at.disk.number}, {name}</b>
    <button type="button" class="btn btn-sm quiet" onclick={copy}><Copy size={15} />Copy <kbd>C</kbd></button>
    {#each figures as { label, text }, i (i)}
      <span class="one"><span class="soft">{label}</span> <span class="figure">{text}</span></span>
    {/each}
  {:else}
    <span class="soft">Point at a basin or its column for its exact figures; <kbd>C</kbd> copies them.</span>
  {/if}
  <span role="status" class="said">{said}</span>
</footer>

<style>
  footer {
    position: sticky;
    bottom: 0;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 0.25rem 1.25rem;
    min-height: 4rem;
    margin-top: auto;
    padding: 0.625rem 1.5rem;
    background: var(--sheet);
    border-top: 1px solid var(--line);
    font-size: 0.8438rem;
  }
  .name {
    max-width: 22rem;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .one {
    white-space: nowrap;
    letter-spacing: -0.02em;
  }
  kbd {
    padding: 0 0.3125rem;
    border: 1px solid var(--line-strong);
    border-radius: 0.25rem;
    font-size: 0.8125rem;
  }
  .said {
    color: var(--ink-soft);
  }
</style>
