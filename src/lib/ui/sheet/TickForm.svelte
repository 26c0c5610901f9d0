<script lang="ts">
  import { page } from '$app/state';
  import { formatDuration } from '$core/units';
  import type { Item, Tick } from '$core/worksheet';
  import type { TickDesk } from './tickDesk.svelte';

  interface Props {
    item: Item;
    tick: Tick | undefined;
    /** What has to be done first, in words. */
    first: string | null;
    desk: TickDesk;
    who: string;
    now: number;
    /** Ticking waits for a word. */
    waits: boolean;
    ondone: () => void;
  }
  let { item, tick, first, desk, who, now, waits, ondone }: Props = $props();

  let answers = $state<Record<string, string>>({});
  let note = $state('');
  let minutes = $state<number | null>(null);
  let problem = $state('');
  const running = $derived(desk.clock?.item === item.id ? desk.clock : null);
  const elapsed = $derived(running ? Math.max(0, Math.round((now - running.since) / 1000)) : 0);
  const clockText = (seconds: number): string =>
    [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60]
      .map((part) => String(part).padStart(2, '0'))
      .join(':');
  const when = (at: string): string =>
    new Date(at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' });

  function set(outcome: Tick['outcome']): void {
    problem = '';
    if (page.data['person']?.role === 'reader') problem = 'You see and print here. A technician ticks.';
    else if (waits) problem = 'Say at the top first that this sheet is worked from all the same.';
    else if (who.trim() === '') problem = 'Say who you are first, at the top of the sheet.';
    else if (outcome === 'done' && first) problem = `First: ${first}`;
    else if (outcome === 'done') {
      const missing = item.asks.find((ask) => !answers[ask.id]?.trim());
      if (missing) problem = `Write down: ${missing.label.toLowerCase()}.`;
    } else if (outcome === 'failed' && note.trim() === '') {
      problem = 'Say in the note what happened: whoever plans on needs it.';
    }
    if (problem) return;
    const measured = minutes === null ? (running ? elapsed : null) : Math.round(minutes * 60);
    desk.add({
      item: item.id,
      outcome,
      who: who.trim(),
      note: note.trim(),
      seconds: outcome === 'done' ? measured : null,
      answers: outcome === 'done' ? $state.snapshot(answers) : {},
    });
    if (outcome === 'done') ondone();
    note = '';
    minutes = null;
    answers = {};
  }
</script>

{#if tick}
  <div class="was" class:failed={tick.outcome === 'failed'}>
    <p>
      <b>{tick.outcome === 'done' ? 'Done' : 'Failed'}</b> by {tick.who}, {when(
        tick.at,
      )}{#if tick.seconds !== null}, in {formatDuration({ low: tick.seconds, high: tick.seconds })}{/if}
    </p>
    {#each item.asks as ask (ask.id)}
      {#if tick.answers[ask.id]}<p>{ask.label}: {tick.answers[ask.id]}</p>{/if}
    {/each}
    {#if tick.note}<p>“{tick.note}”</p>{/if}
    <button type="button" class="btn quiet" onclick={() => set('undone')}>Take this tick back</button>
  </div>
{:else}
  <form
    onsubmit={(event) => {
      event.preventDefault();
      set('done');
    }}
  >
    {#each item.asks as ask (ask.id)}
      <label>
        <span>{ask.label}</span>
        <input class="input" bind:value={answers[ask.id]} maxlength="500" autocomplete="off" />
      </label>
    {/each}
    <label class="note">
      <span>Note</span>
      <input class="input" bind:value={note} maxlength="2000" autocomplete="off" />
    </label>
    {#if item.kind !== 'before' && item.kind !== 'after'}
      <div class="time">
        <button
          type="button"
          class="btn quiet"
          aria-pressed={running !== null}
          onclick={() => desk.setClock(running ? null : { item: item.id, since: Date.now() })}
          >{running ? 'Drop the clock' : 'Start the clock'}</button
        >
        {#if running}<span class="figure clock">{clockText(elapsed)}</span>{/if}
        <label>
          <span>{running ? 'or minutes' : 'It took, in minutes'}</span>
          <input class="input figure" type="number" min="0" step="any" bind:value={minutes} />
        </label>
      </div>
    {/if}
    <div class="buttons">
      <button class="btn action big">Done</button>
      <button type="button" class="btn quiet big" onclick={() => set('failed')}>It failed</button>
    </div>
  </form>
{/if}
{#if !tick}
  <div class="paper" aria-hidden="true">
    {#each item.asks as ask (ask.id)}<p>{ask.label}: <span></span></p>{/each}
  </div>
{/if}
{#if problem}<p role="alert" class="error">{problem}</p>{/if}

<style>
  form,
  .was {
    display: grid;
    gap: 0.75rem;
  }
  .was {
    padding: 0.625rem 0.875rem;
    border-left: 4px solid var(--good);
    background: var(--sheet);
    border-radius: 0.375rem;
    justify-items: start;
    gap: 0.25rem;
  }
  .was.failed {
    border-color: var(--error);
  }
  label span {
    display: block;
    font-size: 0.875rem;
    font-weight: 600;
    margin-bottom: 0.125rem;
  }
  .input {
    min-height: 2.75rem;
  }
  .time {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: 0.75rem 1rem;
  }
  .time .input {
    width: 7rem;
  }
  .clock {
    font-size: 1.5rem;
    font-weight: 650;
  }
  .buttons {
    display: flex;
    gap: 0.75rem;
  }
  .btn {
    min-height: 2.75rem;
  }
  .big {
    min-height: 3.5rem;
    min-width: 9rem;
    font-size: 1.0625rem;
  }
  .paper {
    display: none;
  }
  @media print {
    .paper {
      display: grid;
    }
    .paper p {
      display: flex;
      gap: 4pt;
      padding-top: 5pt;
    }
    .paper span {
      flex: 1;
      border-bottom: 0.5pt solid #000;
    }
    form,
    .was button {
      display: none;
    }
  }
</style>
