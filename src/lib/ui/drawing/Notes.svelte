<script lang="ts">
  import type { DrawingSession } from './drawingSession.svelte';

  /** What stands above the board where there is something to say: of the survey, of saving, of the planner. */
  let { session, stale }: { session: DrawingSession; stale: boolean } = $props();
  const store = $derived(session.store);
</script>

{#if stale}
  <p class="note" role="status">
    A newer survey of this machine is there. This drawing still shows the survey that it was drawn on.
  </p>
{/if}
{#if store.saving === 'conflict'}
  <div class="note alarm" role="alert">
    <p>
      <b>Another window changed this drawing.</b> Nothing is lost: your steps are still here, theirs are saved.
    </p>
    <div class="row">
      <button class="btn action" onclick={() => session.copy()}>Keep mine as a copy</button>
      <button class="btn quiet" onclick={() => session.takeTheirs()}>Show what the other window drew</button>
    </div>
  </div>
{:else if store.saving === 'refused' || store.saving === 'waiting'}
  <div class="note alarm" role="alert">
    <p>{store.refusal}</p>
    <button class="btn quiet" onclick={() => store.save()}>Try again</button>
  </div>
{/if}
{#if session.finishing}
  {@const { share, stop } = session.finishing}
  <div class="note" role="status">
    <p>The planner is looking for a way from here … {Math.round(share * 100)} %</p>
    <progress value={share}></progress>
    <button class="btn quiet" onclick={() => stop.abort()}>Stop</button>
  </div>
{/if}
{#if session.said}<p class="note" role="status">{session.said}</p>{/if}

<style>
  .note {
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    background: var(--card);
    padding: 0.5rem 0.75rem;
    margin-bottom: 0.75rem;
    font-size: 0.9063rem;
  }
  .alarm {
    border: 2px solid var(--exposed);
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem;
    margin-top: 0.5rem;
  }
  .row .btn {
    padding: 0.25rem 0.75rem;
    font-size: 0.875rem;
  }
  progress {
    width: 100%;
    accent-color: var(--accent);
  }
</style>
