<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { onMount } from 'svelte';
  import { page } from '$app/state';
  import Refused from '$ui/Refused.svelte';
  import { forgetPages } from '$ui/people/leave';
  import Secrets from '$ui/people/Secrets.svelte';
  import SignIn from '$ui/people/SignIn.svelte';

  interface Invited {
    kind: 'owner' | 'person' | 'device';
    person: { name: string; role: string } | null;
  }

  /** What stands behind the # of an address that is good once; it goes from the address bar as soon as it is read. */
  let token = '';
  let invited = $state.raw<Invited | null>(null);
  let looked = $state(false);
  let refusal = $state.raw<Refusal | null>(null);
  let name = $state('');
  let passphrase = $state('');
  let pin = $state('');
  let working = $state(false);
  const fault = (path: string): string => refusal?.fields.find((field) => field.path === path)?.message ?? '';

  onMount(async () => {
    // Whoever was signed in here is not any more: what this device kept of sheets goes. Ticks that wait stay until they
    // are sent.
    if (page.data['signIn'] && !page.data['person']) void forgetPages();
    token = location.hash.slice(1);
    if (token !== '') {
      // SvelteKit's own state stays; only what lets in goes.
      history.replaceState(history.state, '', location.pathname + location.search);
      const reply = await call('POST /sign-in/invitation', { body: { invitation: token } });
      if (reply.ok) invited = reply.value;
      else refusal = reply.refusal;
    }
    looked = true;
  });

  /** Only a page of this server is gone to, whatever the address says. */
  function on(): void {
    const wanted = page.url.searchParams.get('to') ?? '/';
    // The whole page anew: what was loaded for nobody, or somebody else, must not stay.
    location.assign(/^\/(?![/\\])/.test(wanted) ? wanted : '/');
  }

  async function enter(event?: SubmitEvent): Promise<void> {
    event?.preventDefault();
    working = true;
    const chosen =
      invited?.kind === 'device'
        ? {}
        : {
            ...(invited?.kind === 'owner' && { name }),
            ...(passphrase && { passphrase }),
            ...(pin && { pin }),
          };
    const reply = await call('POST /sign-in', { body: { by: 'invitation', invitation: token, ...chosen } });
    working = false;
    refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) on();
    else if (reply.refusal.status === 410) invited = null;
  }
</script>

<svelte:head><title>Sign in · Gentle Tide</title></svelte:head>

<main class="page narrow">
  {#if invited?.kind === 'device'}
    <h1>Sign in here as {invited.person?.name}</h1>
    <p>This device is known from then on: PINs are good on it, too.</p>
    {#if refusal}<Refused {refusal} />{/if}
    <p>
      <button type="button" class="btn action" disabled={working} onclick={() => void enter()}>Sign in</button
      >
    </p>
  {:else if invited}
    <h1>
      {invited.kind === 'owner' ? 'The first owner of this workshop' : `Welcome, ${invited.person?.name}`}
    </h1>
    <p class="soft">
      {invited.kind === 'owner'
        ? 'You let everybody else in, afterwards, under Settings.'
        : 'Choose what you sign in with from now on. Nobody else sees it.'}
    </p>
    <form onsubmit={enter}>
      {#if invited.kind === 'owner'}
        <label>
          <span>Name</span>
          <input
            class="input"
            bind:value={name}
            autocomplete="username"
            maxlength="100"
            aria-invalid={fault('/name') ? 'true' : undefined}
          />
          <span class="soft small">It stands beside everything that you do.</span>
          {#if fault('/name')}<span class="error" role="alert">{fault('/name')}</span>{/if}
        </label>
      {/if}
      <Secrets
        bind:passphrase
        bind:pin
        owner={invited.kind === 'owner' || invited.person?.role === 'owner'}
        {refusal}
      />
      {#if refusal && refusal.fields.length === 0}<Refused {refusal} />{/if}
      <p><button class="btn action" disabled={working}>{working ? 'One moment …' : 'Sign in'}</button></p>
    </form>
  {:else if looked}
    <h1>Sign in</h1>
    {#if refusal}<Refused {refusal} />{/if}
    {#if page.data['signIn']}
      <SignIn ondone={on} />
    {:else}
      <p>
        Nobody signs in here: this server answers to its own computer only. <a href="/">Go to the jobs</a>
      </p>
    {/if}
  {/if}
</main>

<style>
  .page {
    padding-top: 3rem;
  }
  form {
    display: grid;
    gap: 1rem;
  }
  label {
    display: grid;
    gap: 0.25rem;
    font-weight: 600;
  }
  .small {
    font-size: 0.8125rem;
    font-weight: 400;
  }
  a {
    color: var(--accent-ink);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
</style>
