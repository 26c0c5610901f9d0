<script lang="ts">
  import { onMount } from 'svelte';

  interface Props {
    /** What lets in, once, and the same as a QR code (SVG of our own server). */
    made: { address: string; qr: string; minutes: number };
    /** What it does, in a few words. */
    what: string;
    onclose: () => void;
  }
  let { made, what, onclose }: Props = $props();
  const ends = $derived(Date.now() + made.minutes * 60_000);
  let left = $state(1);
  let copied = $state(false);
  onMount(() => {
    const count = (): void => void (left = Math.max(0, Math.round((ends - Date.now()) / 1000)));
    count();
    const timer = setInterval(count, 500);
    return () => clearInterval(timer);
  });
  const clock = $derived(
    left > 3600
      ? `${Math.round(left / 3600)} hours`
      : `${Math.floor(left / 60)}:${String(left % 60).padStart(2, '0')}`,
  );
  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(made.address);
    copied = true;
  }
</script>

<div class="once" role="group" aria-label={what}>
  <!-- eslint-disable-next-line svelte/no-at-html-tags -- drawn by our own server -->
  <div class="qr" class:over={left === 0} role="img" aria-label="QR code of the address">{@html made.qr}</div>
  <div class="says">
    <p><b>{what}</b></p>
    {#if left > 0}
      <p>Good once, for <span class="figure">{clock}</span> more. It is shown this once only.</p>
      <p><code class="figure">{made.address}</code></p>
    {:else}
      <p class="error">Its time is over. Make a new one.</p>
    {/if}
    <p class="ways">
      <button type="button" class="btn btn-sm quiet" disabled={left === 0} onclick={() => void copy()}
        >{copied ? 'Copied' : 'Copy the address'}</button
      >
      <button type="button" class="btn btn-sm quiet" onclick={onclose}>Close</button>
    </p>
  </div>
</div>

<style>
  .once {
    display: flex;
    flex-wrap: wrap;
    gap: 1.25rem;
    padding: 1rem;
    background: var(--card);
    border: 1px solid var(--line-strong);
    border-radius: 0.75rem;
  }
  .qr {
    width: 11rem;
    background: #ffffff;
    padding: 0.25rem;
    border-radius: 0.375rem;
  }
  .qr.over {
    opacity: 0.15;
  }
  .says {
    display: grid;
    gap: 0.5rem;
    align-content: start;
    flex: 1;
    min-width: 16rem;
  }
  code {
    overflow-wrap: anywhere;
    font-size: 0.8125rem;
  }
  .ways {
    display: flex;
    gap: 0.5rem;
  }
</style>
