<script lang="ts">
  import type { Refusal } from '$contract/client';

  interface Props {
    value: string;
    refusal: Refusal | null;
  }
  /** What somebody who is signed in signs in with, said once more. */
  let { value = $bindable(), refusal }: Props = $props();
  const wrong = $derived(refusal?.fields.find(({ path }) => path === '/present')?.message);
</script>

<label>
  <span>Your passphrase or PIN</span>
  <input
    class="input"
    type="password"
    autocomplete="current-password"
    aria-invalid={wrong ? 'true' : undefined}
    bind:value
  />
  {#if wrong}<span class="error" role="alert">{wrong}</span>{/if}
</label>

<style>
  label {
    display: grid;
    gap: 0.25rem;
    font-weight: 600;
  }
  .error {
    font-weight: 400;
  }
</style>
