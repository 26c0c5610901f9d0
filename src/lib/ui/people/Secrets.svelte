<script lang="ts">
  import type { Refusal } from '$contract/client';

  interface Props {
    passphrase: string;
    pin: string;
    /** An owner needs a passphrase. */
    owner: boolean;
    refusal: Refusal | null;
  }
  let { passphrase = $bindable(), pin = $bindable(), owner, refusal }: Props = $props();
  let shown = $state(false);
  const fault = (path: string): string => refusal?.fields.find((field) => field.path === path)?.message ?? '';
</script>

<label>
  <span
    >Passphrase {#if !owner}<i class="soft">if you want to sign in on any device</i>{/if}</span
  >
  <span class="with">
    <input
      class="input"
      type={shown ? 'text' : 'password'}
      autocomplete="new-password"
      bind:value={passphrase}
      aria-invalid={fault('/passphrase') ? 'true' : undefined}
    />
    <button type="button" class="btn btn-sm quiet" aria-pressed={shown} onclick={() => (shown = !shown)}
      >{shown ? 'Hide' : 'Show'}</button
    >
  </span>
  {#if fault('/passphrase')}<span class="error" role="alert">{fault('/passphrase')}</span>
  {:else}<span class="soft small"
      >At least ten characters: three words that don’t belong together are good.</span
    >{/if}
</label>
<label>
  <span>PIN <i class="soft">for quick changes on tablets of the workshop</i></span>
  <input
    class="input figure"
    type={shown ? 'text' : 'password'}
    inputmode="numeric"
    autocomplete="off"
    maxlength="12"
    bind:value={pin}
    aria-invalid={fault('/pin') ? 'true' : undefined}
  />
  <span class="soft small">6 to 12 digits. It is good only on devices that somebody signed in on before.</span
  >
  {#if fault('/pin')}<span class="error" role="alert">{fault('/pin')}</span>{/if}
</label>

<style>
  label {
    display: grid;
    gap: 0.25rem;
    font-weight: 600;
  }
  i {
    font-weight: 400;
    font-style: normal;
  }
  .small {
    font-size: 0.8125rem;
    font-weight: 400;
  }
  .error {
    font-weight: 400;
  }
  .with {
    display: flex;
    gap: 0.5rem;
    align-items: center;
  }
</style>
