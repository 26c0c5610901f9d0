<script lang="ts">
  import { formatDuration } from '$core/units';
  import type { Item, Progress } from '$core/worksheet';

  interface Props {
    progress: Progress;
    /** What each item belongs to, in order; neighbours of one name stand together. */
    phase: (item: Item) => string;
    ongo: (id: string) => void;
  }
  let { progress, phase, ongo }: Props = $props();

  const phases = $derived.by(() => {
    const list: { name: string; items: Item[] }[] = [];
    for (const item of progress.items) {
      const name = phase(item);
      const last = list.at(-1);
      if (last?.name === name) last.items.push(item);
      else list.push({ name, items: [item] });
    }
    return list;
  });
  const share = $derived(progress.items.length > 0 ? progress.done / progress.items.length : 0);
  const { handsOn, waiting } = $derived(progress.remaining);
</script>

<div class="gauge">
  <p class="count">
    <b>{progress.done} of {progress.items.length}</b> done
    {#if progress.failed}<span class="failed">stopped: {progress.failed.title}</span>
    {:else if progress.next}<span>next: {progress.next.title}</span>
    {:else}<span>all done; now the proof</span>{/if}
  </p>
  <p class="left">
    {#if progress.done < progress.items.length}
      still hands-on <b>{formatDuration(handsOn)}</b>, waiting <b>{formatDuration(waiting)}</b>
    {/if}
    {#if progress.measured > 0}
      {progress.done < progress.items.length ? '·' : ''} measured {formatDuration({
        low: progress.measured,
        high: progress.measured,
      })}{/if}
  </p>
  <div
    class="channel"
    role="progressbar"
    aria-label="Progress of the sheet"
    aria-valuemin="0"
    aria-valuemax={progress.items.length}
    aria-valuenow={progress.done}
  >
    <div class="water" style:width="{share * 100}%"></div>
  </div>
  <ol>
    {#each phases as { name, items }, i (i)}
      <li style:flex-grow={items.length}>
        <button type="button" onclick={() => ongo(items[0]!.id)}
          >{name}
          <span class="soft"
            >{items.filter((item) => progress.ticks.get(item.id)?.outcome === 'done')
              .length}/{items.length}</span
          ></button
        >
      </li>
    {/each}
  </ol>
</div>

<style>
  .gauge {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 0.25rem 1rem;
  }
  .count span {
    color: var(--ink-soft);
    margin-left: 0.625rem;
  }
  .count {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .count .failed {
    color: var(--error);
    font-weight: 600;
  }
  .left {
    color: var(--ink-soft);
    white-space: nowrap;
  }
  .left b {
    color: var(--ink);
  }
  .channel {
    grid-column: 1 / -1;
    height: 0.875rem;
    border-radius: 0.4375rem;
    background: var(--windows-bed);
    border: 1px solid var(--line-strong);
    overflow: hidden;
  }
  .water {
    height: 100%;
    background: var(--windows-water);
    transition: width 300ms;
  }
  ol {
    grid-column: 1 / -1;
    display: flex;
    gap: 0.5rem;
    font-size: 0.8125rem;
  }
  li {
    flex-basis: 0;
    min-width: 0;
  }
  li button {
    white-space: nowrap;
    min-height: 1.75rem;
    font-weight: 600;
  }
  @media (max-width: 48rem) {
    .gauge {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
