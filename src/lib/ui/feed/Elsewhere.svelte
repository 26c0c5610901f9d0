<script lang="ts">
  import { onMount, untrack } from 'svelte';
  import { page } from '$app/state';
  import { concerns, type FeedEvent, type FeedListener } from './feed';
  import { feedHere } from './here';
  import { Refresh } from './refresh';

  /**
   * Brings what somebody else did on the job to this screen: at once where nothing is being typed or drawn, else as a
   * line that offers it.
   */
  let { job, version }: { job: number; version: number } = $props();
  const feed = feedHere();
  const refresh = new Refresh();
  /** Screens on which something may be half-done: they are not loaded anew under the hands. */
  const HALF_DONE = /\/(about|target|drawing\/\d+|survey|survey\/by-hand)$/;
  let news = $state.raw<FeedEvent | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;

  onMount(() => {
    const end = feed.listen(hear);
    return () => {
      end();
      refresh.end();
      clearTimeout(timer);
    };
  });
  function hear(heard: FeedListener): void {
    if (!concerns(heard, job)) return;
    if (!HALF_DONE.test(page.url.pathname)) return refresh.soon();
    if ('missed' in heard) return;
    const newest = heard.happenings.filter((one) => one.job === job).at(-1)!;
    clearTimeout(timer);
    // What this screen saved itself is known here a moment later.
    timer = setTimeout(() => {
      if ((newest.version ?? 0) > untrack(() => version)) news = newest;
    }, 700);
  }
  $effect(() => {
    if (news && (news.version ?? 0) <= version) news = null;
  });
</script>

{#if news}
  <p class="news" role="status">
    <span><b>{news.who || 'Somebody'}</b> did something on this job just now: {news.what}</span>
    <!-- The whole page anew: what was typed here was taken from what was there before. -->
    <button type="button" class="btn btn-sm quiet" onclick={() => location.reload()}>Show it</button>
  </p>
{/if}

<style>
  .news {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 1rem;
    margin: 0.75rem 1.5rem;
    padding: 0.5rem 1rem;
    background: var(--chip-accent);
    border-left: 4px solid var(--accent);
    border-radius: 0.375rem;
  }
  span {
    min-width: 0;
    overflow-wrap: anywhere;
    display: -webkit-box;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    -webkit-box-orient: vertical;
    overflow: hidden;
  }
  .btn {
    flex: none;
  }
</style>
