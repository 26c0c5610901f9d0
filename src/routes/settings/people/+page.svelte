<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import type { InvitationAddress } from '$contract/people';
  import type { Role } from '$contract/roles';
  import { invalidateAll } from '$app/navigation';
  import History from '$ui/History.svelte';
  import Refused from '$ui/Refused.svelte';
  import OnceAddress from '$ui/people/OnceAddress.svelte';
  import PersonRow from '$ui/people/PersonRow.svelte';
  import Sessions from '$ui/people/Sessions.svelte';
  import SettingsPath from '$ui/settings/SettingsPath.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  let name = $state('');
  let role = $state<Role>('technician');
  let refusal = $state.raw<Refusal | null>(null);
  let made = $state.raw<(InvitationAddress & { name: string }) | null>(null);

  async function add(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const reply = await call('POST /people', { body: { name, role } });
    refusal = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    made = { ...reply.value, name };
    name = '';
    await invalidateAll();
  }
  const here = $derived(data.people.filter(({ leftAt }) => leftAt === null).length);
</script>

<svelte:head><title>People · Gentle Tide</title></svelte:head>

<main class="page middle">
  <SettingsPath />
  <div class="page-top">
    <div>
      <h1>People</h1>
      <p class="soft">Who works here, what they may, and where they are signed in.</p>
    </div>
  </div>
  {#if !data.signIn}
    <p class="empty">
      Nobody signs in here: this server answers to its own computer only. It asks for it as soon as it listens
      beyond that (HOST), or with GENTLE_TIDE_SIGN_IN=on.
    </p>
  {:else}
    {#if made}
      <OnceAddress
        {made}
        what="For {made.name}: scan it, or open the address, to choose a passphrase or PIN"
        onclose={() => (made = null)}
      />
    {/if}
    <section aria-label="People">
      <h2>{here === 1 ? 'One person works here' : `${here} people work here`}</h2>
      <ul>
        {#each data.people as person (person.id)}
          <PersonRow
            {person}
            roles={data.roles}
            onaddress={(address, whose) => (made = { ...address, name: whose })}
          />
        {/each}
      </ul>
      <form onsubmit={add}>
        <input
          class="input"
          aria-label="Name of somebody new"
          placeholder="Name of somebody new"
          bind:value={name}
          maxlength="100"
        />
        <select class="input" aria-label="Role of somebody new" bind:value={role}>
          {#each data.roles as one (one.id)}<option value={one.id}>{one.id}: {one.says}</option>{/each}
        </select>
        <button class="btn action" disabled={name.trim() === ''}>Take them on</button>
      </form>
      {#if refusal}<Refused {refusal} />{/if}
    </section>
    <section aria-label="Devices">
      <h2>Signed in now <span class="soft">“The device is gone” also ends that PINs are good on it</span></h2>
      <Sessions sessions={data.sessions} here={data.here} everybody />
    </section>
  {/if}
  {#if data.history.entries.length > 0 || data.history.breach}
    <section aria-label="History of the bench">
      <h2>
        What was done at this bench <span class="soft">people, devices, jobs deleted or taken over</span>
      </h2>
      <History {...data.history} />
    </section>
  {/if}
</main>

<style>
  form {
    display: flex;
    gap: 0.75rem;
    padding-top: 0.75rem;
    border-top: 1px solid var(--line);
  }
  form .input {
    max-width: 24rem;
  }
  form .btn {
    white-space: nowrap;
  }
  .empty {
    padding: 2rem 1.5rem;
    border: 1.5px dashed var(--dry-line);
    border-radius: 0.75rem;
  }
</style>
