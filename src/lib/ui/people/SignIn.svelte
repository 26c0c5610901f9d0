<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import type { SignInBody } from '$contract/people';
  import { onMount } from 'svelte';
  import Face from './Face.svelte';

  interface Props {
    /** Somebody was let in. */
    ondone: () => void;
    /** Who is signed in already, and need not be offered. */
    present?: number | null;
  }
  let { ondone, present = null }: Props = $props();

  let people = $state.raw<{ id: number; name: string }[]>([]);
  let chosen = $state.raw<{ id: number; name: string } | null>(null);
  let byName = $state(false);
  let name = $state('');
  let secret = $state('');
  let refusal = $state.raw<Refusal | null>(null);
  let working = $state(false);
  let known = $state<boolean | null>(null);
  /** Seconds until the next try is taken. */
  let wait = $state(0);

  onMount(() => {
    void look();
    const timer = setInterval(() => (wait = Math.max(0, wait - 1)), 1000);
    return () => clearInterval(timer);
  });

  async function look(): Promise<void> {
    const reply = await call('GET /me');
    if (reply.ok) {
      people = (reply.value.withPin ?? []).filter(({ id }) => id !== present);
      known = reply.value.withPin !== null;
    } else refusal = reply.refusal;
    byName = people.length === 0;
  }

  async function enter(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (working || wait > 0) return;
    working = true;
    const body: SignInBody = chosen
      ? { by: 'pin', person: chosen.id, pin: secret }
      : { by: 'passphrase', name, passphrase: secret };
    const reply = await call('POST /sign-in', { body });
    working = false;
    secret = '';
    refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) ondone();
    else wait = reply.refusal.seconds ?? 0;
  }
  function choose(person: { id: number; name: string } | null): void {
    chosen = person;
    secret = '';
    refusal = null;
  }
  const focus = (node: HTMLElement): void => node.focus();
</script>

{#if !byName && !chosen}
  <ul class="people" aria-label="People with a PIN">
    {#each people as person (person.id)}
      <li>
        <button type="button" onclick={() => choose(person)}
          ><Face name={person.name} large />{person.name}</button
        >
      </li>
    {/each}
  </ul>
  <p class="soft">
    Somebody else? <button type="button" class="link" onclick={() => (byName = true)}
      >Sign in with a passphrase</button
    >
  </p>
{:else}
  <form onsubmit={enter}>
    {#if chosen}
      <p class="chosen"><Face name={chosen.name} large /><b>{chosen.name}</b></p>
      <label>
        <span>PIN</span>
        <input
          class="input pin figure"
          type="password"
          inputmode="numeric"
          autocomplete="off"
          maxlength="12"
          bind:value={secret}
          use:focus
        />
      </label>
    {:else}
      <label>
        <span>Name</span>
        <input class="input" bind:value={name} autocomplete="username" maxlength="100" use:focus />
      </label>
      <label>
        <span>Passphrase</span>
        <input class="input" type="password" autocomplete="current-password" bind:value={secret} />
      </label>
    {/if}
    {#if refusal || wait > 0}
      <p class="error" role="alert">
        {refusal?.detail}
        {#if wait > 0}<span class="figure">{wait} s</span>{/if}
      </p>
    {/if}
    <div class="ways">
      <button class="btn action" disabled={working || wait > 0 || secret === ''}
        >{working ? 'One moment …' : 'Sign in'}</button
      >
      {#if chosen || people.length > 0}
        <button
          type="button"
          class="btn quiet"
          onclick={() => {
            choose(null);
            byName = false;
          }}>Somebody else</button
        >
      {/if}
    </div>
  </form>
  {#if !chosen && known === false}
    <p class="soft">
      Only a PIN? It is good on devices that somebody signed in on before. On a screen where you are signed
      in, press your name and let it show a QR code for this device.
    </p>
  {/if}
{/if}

<style>
  .people {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(9rem, 1fr));
    gap: 0.75rem;
  }
  .people button {
    display: grid;
    justify-items: center;
    gap: 0.5rem;
    width: 100%;
    height: 100%;
    padding: 1rem 0.5rem;
    background: var(--card);
    border: 1px solid var(--line-strong);
    border-radius: 0.75rem;
    font-weight: 600;
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  .people button:hover {
    border-color: var(--accent);
  }
  .people {
    margin-bottom: 0.75rem;
  }
  form {
    display: grid;
    gap: 0.75rem;
  }
  label {
    display: grid;
    gap: 0.25rem;
    font-weight: 600;
  }
  .chosen {
    display: flex;
    align-items: center;
    gap: 0.75rem;
    font-size: 1.125rem;
  }
  .pin {
    font-size: 1.5rem;
    letter-spacing: 0.3em;
  }
  .ways {
    display: flex;
    gap: 0.75rem;
  }
  .link {
    color: var(--accent-ink);
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
  }
</style>
