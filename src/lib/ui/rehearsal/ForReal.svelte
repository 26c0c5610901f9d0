<script lang="ts">
  import type { Rehearsing } from './rehearsing.svelte';

  /**
   * The route on the image that the survey was read from: on a copy of it, or on the image itself once its name is
   * typed.
   */
  let { image, rehearsing }: { image: string; rehearsing: Rehearsing } = $props();

  let typed = $state('');
  let whole = $state(false);
  const extent = $derived(whole ? ('whole' as const) : ('quick' as const));
  const wrong = $derived(rehearsing.refusal?.fields.find(({ path }) => path === '/typed')?.message ?? '');
</script>

<section aria-label="For real">
  <h2 class="small-title">For real</h2>
  <p class="small">The survey was read from <b>{image}</b>, which lies on the server.</p>
  <label class="whole"
    ><input class="checkbox" type="checkbox" bind:checked={whole} /> Read everything in use for the proof. It takes
    longer.</label
  >
  <button
    class="btn quiet wide"
    disabled={rehearsing.asking}
    onclick={() => rehearsing.begin('copy', { extent })}>Carry it out on a copy</button
  >
  <form
    onsubmit={(event) => {
      event.preventDefault();
      void rehearsing.begin('image', { typed, extent });
    }}
  >
    <label for="typed-name">To work on the image itself, type its name</label>
    <input
      id="typed-name"
      class="input"
      bind:value={typed}
      autocomplete="off"
      autocapitalize="off"
      spellcheck="false"
      aria-invalid={wrong !== ''}
      aria-describedby={wrong ? 'typed-wrong' : undefined}
    />
    {#if wrong}<p id="typed-wrong" class="wrong" role="alert">{wrong}</p>{/if}
    <button class="btn real wide" disabled={rehearsing.asking}>Carry it out on the image itself</button>
  </form>
</section>

<style>
  section {
    margin-top: 1rem;
  }
  .small,
  label {
    display: block;
    font-size: 0.875rem;
    padding: 0.25rem 0;
    overflow-wrap: anywhere;
  }
  .whole {
    display: flex;
    gap: 0.5rem;
    align-items: center;
  }
  form {
    margin-top: 0.75rem;
  }
  .wide {
    width: 100%;
    margin-top: 0.5rem;
  }
  .real {
    border: 1.5px solid var(--exposed);
    color: var(--exposed);
    background: var(--card);
    font-weight: 650;
  }
  .wrong {
    margin-top: 0.375rem;
    padding: 0.375rem 0.625rem;
    border-left: 4px solid var(--error);
    background: var(--error-ground);
    border-radius: 0.25rem;
    font-size: 0.875rem;
    overflow-wrap: anywhere;
  }
</style>
