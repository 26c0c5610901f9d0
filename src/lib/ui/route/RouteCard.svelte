<script lang="ts">
  import type { Route } from '$core/planning';
  import { formatDuration, formatSize } from '$core/units';

  interface Props {
    route: Route;
    kit: string;
    reasons?: readonly string[];
    shown: boolean;
    chosen: boolean;
    beside: boolean;
    onshow: () => void;
    onbeside: () => void;
  }
  let { route, kit, reasons = [], shown, chosen, beside, onshow, onbeside }: Props = $props();
  const DOT = ' · ';
  const totals = $derived(route.totals);
  const waste = $derived(route.usual?.waste ?? 0);
  /** What a route among the few rests on; the others are told apart by their figures. */
  const because = $derived(reasons.length > 0 ? route.because : undefined);
</script>

<li class:shown>
  <button type="button" class="show" aria-pressed={shown} onclick={onshow}>
    <span class="head"
      ><b>{route.title}</b>{#if chosen}<span class="is-chosen">chosen</span>{/if}</span
    >
    <span class="tags"
      ><span class="kit">{kit}</span>{#each reasons as reason, i (i)}<span class="reason">{reason}</span
        >{/each}</span
    >
    <span class="figures"
      >{totals.steps}
      {totals.steps === 1 ? 'step' : 'steps'} · {formatSize(totals.bytesCopied)} · {formatDuration(
        totals.seconds,
      )}{#if totals.exposedBytes > 0}{DOT}<span class="exposed"
          >{formatDuration(totals.exposedSeconds)} exposed</span
        >{/if}{#if waste > 0}{DOT}<span class="wasted">{formatSize(waste)} left unused</span
        >{/if}{#if route.rehearsable}{DOT}can be rehearsed{/if}</span
    >
    {#if because}<span class="because">{because}</span>{/if}
  </button>
  {#if !shown}
    <button type="button" class="beside" aria-pressed={beside} onclick={onbeside}
      >{beside ? 'Take away' : 'Show beside'}</button
    >
  {/if}
</li>

<style>
  li {
    border: 1.5px solid var(--line);
    border-radius: 0.625rem;
    background: var(--card);
  }
  li.shown {
    border-color: var(--accent);
  }
  .show {
    display: grid;
    gap: 0.25rem;
    width: 100%;
    padding: 0.5rem 0.75rem 0.5625rem;
    text-align: left;
    font-size: 0.875rem;
  }
  .head {
    display: flex;
    justify-content: space-between;
    gap: 0.5rem;
  }
  b {
    font-weight: 650;
    text-wrap: balance;
  }
  .is-chosen {
    color: var(--accent-ink);
    font-weight: 650;
  }
  .tags {
    display: flex;
    flex-wrap: wrap;
    gap: 0.25rem;
  }
  .kit,
  .reason {
    padding: 0 0.4375rem;
    border-radius: 0.3125rem;
    font-size: 0.8125rem;
    background: var(--line);
  }
  .reason {
    background: var(--chip-accent);
    color: var(--accent-ink);
  }
  .figures {
    color: var(--ink-soft);
    letter-spacing: -0.01em;
  }
  .exposed {
    color: var(--exposed);
  }
  .wasted {
    color: var(--exposed);
  }
  .because {
    color: var(--ink-soft);
    font-size: 0.8125rem;
    line-height: 1.3;
  }
  .beside {
    display: block;
    margin: -0.25rem 0 0.375rem 0.75rem;
    font-size: 0.8125rem;
    color: var(--accent-ink);
    text-decoration: underline;
  }
</style>
