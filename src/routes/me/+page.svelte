<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { invalidateAll } from '$app/navigation';
  import Refused from '$ui/Refused.svelte';
  import Face from '$ui/people/Face.svelte';
  import Present from '$ui/people/Present.svelte';
  import OnceAddress from '$ui/people/OnceAddress.svelte';
  import Secrets from '$ui/people/Secrets.svelte';
  import Sessions from '$ui/people/Sessions.svelte';
  import Tokens from '$ui/people/Tokens.svelte';
  import { leave } from '$ui/people/leave';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  let made = $state.raw<{ address: string; qr: string; minutes: number } | null>(null);
  let refusal = $state.raw<Refusal | null>(null);
  let refusedSecrets = $state.raw<Refusal | null>(null);
  let present = $state('');
  let presentForDevice = $state('');
  let passphrase = $state('');
  let pin = $state('');
  let said = $state('');

  async function oneMore(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const reply = await call('POST /me/device', { body: { present: presentForDevice } });
    refusal = reply.ok ? null : reply.refusal;
    made = reply.ok ? reply.value : null;
    presentForDevice = '';
  }
  async function change(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    said = '';
    const body = { present, ...(passphrase && { passphrase }), ...(pin && { pin }) };
    const reply = await call('PUT /me/secrets', { body });
    refusedSecrets = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    present = passphrase = pin = '';
    said = 'Changed. Sessions elsewhere and tokens of programs have ended.';
    await invalidateAll();
  }
</script>

<svelte:head><title>{data.person?.name ?? 'You'} · Gentle Tide</title></svelte:head>

<main class="page middle">
  {#if data.refused}
    <p class="refused" role="alert">
      <b>{data.refused} is not for you:</b> as {data.person?.role} you may not open it. An owner may.
    </p>
  {/if}
  {#if data.person}
    <div class="page-top">
      <h1><Face name={data.person.name} large /> {data.person.name}</h1>
      <button type="button" class="btn quiet" onclick={() => void leave()}>Sign out</button>
    </div>
    <p class="soft">{data.person.role}: {data.may}</p>
    <section aria-label="One more device">
      <h2>One more device</h2>
      {#if made}
        <OnceAddress
          {made}
          what="Scan it with the tablet that you want to sign in on"
          onclose={() => (made = null)}
        />
      {:else}
        <p class="soft">
          A tablet that scans a QR code is signed in as you. The code is good once, for two minutes.
        </p>
        <form onsubmit={(event) => void oneMore(event)}>
          <Present bind:value={presentForDevice} {refusal} />
          {#if refusal && refusal.fields.length === 0}<Refused {refusal} />{/if}
          <p><button class="btn action" disabled={presentForDevice === ''}>Show a QR code</button></p>
        </form>
      {/if}
    </section>
    <section aria-label="Where you are signed in">
      <h2>Where you are signed in</h2>
      <Sessions sessions={data.sessions} here={data.here?.id ?? null} />
    </section>
    <section aria-label="What you sign in with">
      <h2>What you sign in with</h2>
      <details>
        <summary>Change passphrase or PIN</summary>
        <form onsubmit={change}>
          <Present bind:value={present} refusal={refusedSecrets} />
          <Secrets bind:passphrase bind:pin owner={false} refusal={refusedSecrets} />
          {#if refusedSecrets && refusedSecrets.fields.length === 0}<Refused refusal={refusedSecrets} />{/if}
          <p>
            <button class="btn quiet" disabled={present === '' || (passphrase === '' && pin === '')}
              >Change it</button
            >
          </p>
        </form>
      </details>
      <p role="status">{said}</p>
    </section>
    {#if data.tokens}
      <section aria-label="Programs">
        <h2>Programs that work in your name</h2>
        <Tokens tokens={data.tokens} scopes={data.scopes} />
      </section>
    {/if}
  {:else}
    <h1>Nobody signs in here</h1>
    <p>This server answers to its own computer only. Who works with it is asked on the work sheet.</p>
  {/if}
</main>

<style>
  h1 {
    display: flex;
    align-items: center;
    gap: 0.75rem;
  }
  form {
    display: grid;
    gap: 1rem;
    max-width: 34rem;
    padding-top: 0.75rem;
  }
  .refused {
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--exposed);
    background: var(--card);
    border-radius: 0.375rem;
  }
  section {
    padding-top: 0.75rem;
    border-top: 1px solid var(--line);
  }
</style>
