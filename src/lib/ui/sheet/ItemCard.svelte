<script lang="ts">
  import type { Snippet } from 'svelte';
  import Check from '@lucide/svelte/icons/check';
  import X from '@lucide/svelte/icons/x';
  import { formatDuration } from '$core/units';
  import type { Item, Tick } from '$core/worksheet';
  import TickForm from './TickForm.svelte';
  import type { TickDesk } from './tickDesk.svelte';

  interface Props {
    item: Item;
    tick: Tick | undefined;
    first: string | null;
    open: boolean;
    desk: TickDesk;
    who: string;
    now: number;
    /** Ticking waits for a word. */
    waits: boolean;
    /** Times shown instead of the item's own, such as those of a staged step. */
    times?: string;
    label?: string;
    /** It stands out: a commit point. */
    heavy?: boolean;
    ontoggle: () => void;
    ondone: () => void;
    children: Snippet;
  }
  let {
    item,
    tick,
    first,
    open,
    desk,
    who,
    now,
    waits,
    times,
    label,
    heavy = false,
    ontoggle,
    ondone,
    children,
  }: Props = $props();

  const time = $derived(
    times ??
      [
        ...(item.handsOn.high > 0 ? [`hands-on ${formatDuration(item.handsOn)}`] : []),
        ...(item.waiting.high > 0 ? [`waiting ${formatDuration(item.waiting)}`] : []),
      ].join(' · '),
  );
</script>

<li class:open class:heavy id={item.id}>
  <button type="button" class="head" aria-expanded={open} onclick={ontoggle}>
    <span class="spot is-{tick?.outcome ?? 'open'}" class:waits={first !== null && !tick}>
      {#if tick?.outcome === 'done'}<Check size={26} strokeWidth={3} aria-label="done" />{/if}
      {#if tick?.outcome === 'failed'}<X size={26} strokeWidth={3} aria-label="failed" />{/if}
    </span>
    <span class="title">
      {#if label}<span class="label">{label}</span>{/if}
      <b>{item.title}</b>
    </span>
    <span class="soft time">{time}</span>
  </button>
  <div class="body">
    {@render children()}
    <TickForm {item} {tick} {first} {desk} {who} {now} {waits} {ondone} />
  </div>
</li>

<style>
  li {
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    background: var(--card);
    scroll-margin-top: 8rem;
  }
  li.open {
    border-color: var(--accent);
    box-shadow: 0 1px 8px rgb(0 0 0 / 0.08);
  }
  li.heavy {
    border-width: 2px;
    border-color: var(--exposed);
  }
  .head {
    display: grid;
    grid-template-columns: 3.25rem minmax(0, 1fr) auto;
    align-items: center;
    gap: 0.875rem;
    width: 100%;
    min-height: 4rem;
    padding: 0.375rem 1rem 0.375rem 0.625rem;
    text-align: left;
    border-radius: inherit;
  }
  .spot {
    display: grid;
    place-items: center;
    width: 3rem;
    height: 3rem;
    border-radius: 50%;
    border: 3px solid var(--line-strong);
    color: var(--card);
  }
  .spot.waits {
    border-style: dotted;
  }
  .open .spot.is-open {
    border-color: var(--accent);
  }
  .is-done {
    background: var(--good);
    border-color: var(--good);
  }
  .is-failed {
    background: var(--error);
    border-color: var(--error);
  }
  .title b {
    font-weight: 650;
    font-size: 1.0313rem;
  }
  .label {
    display: block;
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  .time {
    font-size: 0.875rem;
    text-align: right;
    max-width: 13rem;
  }
  .body {
    display: none;
    gap: 0.75rem;
    grid-template-columns: minmax(0, 1fr);
    padding: 0 1.125rem 1.125rem 4.75rem;
  }
  .open .body {
    display: grid;
  }
  @media (max-width: 40rem) {
    .body {
      padding-left: 1rem;
    }
    .time {
      display: none;
    }
  }
  @media print {
    li,
    li.open {
      border: 0;
      border-top: 0.5pt solid #888;
      border-radius: 0;
      box-shadow: none;
      break-inside: avoid;
    }
    li.heavy {
      border: 1.5pt solid #000;
    }
    .head {
      min-height: 0;
      padding: 3pt 0;
      grid-template-columns: 16pt minmax(0, 1fr) auto;
    }
    .spot {
      width: 12pt;
      height: 12pt;
      border: 1pt solid #000;
      border-radius: 1pt;
      background: none;
      color: #000;
    }
    .spot :global(svg) {
      width: 9pt;
      height: 9pt;
    }
    .body {
      display: grid;
      padding: 0 0 4pt 24pt;
      gap: 3pt;
    }
  }
</style>
