<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import type { InvitationAddress, PersonRow } from '$contract/people';
  import type { Role } from '$contract/roles';
  import { invalidateAll } from '$app/navigation';
  import { formatMinute } from '$ui/survey/surveyLine';
  import Refused from '$ui/Refused.svelte';
  import Face from './Face.svelte';

  interface Props {
    person: PersonRow;
    roles: readonly { id: Role; says: string }[];
    /** An address with which somebody chooses anew what to sign in with. */
    onaddress: (made: InvitationAddress, name: string) => void;
  }
  let { person, roles, onaddress }: Props = $props();
  let editing = $state(false);
  let name = $state('');
  let role = $state<Role>('technician');
  /** Since this version: what was looked at when the editing began, whatever comes meanwhile. */
  let version = $state(0);
  let refusal = $state.raw<Refusal | null>(null);

  function edit(): void {
    ({ name, role, version } = person);
    refusal = null;
    editing = true;
  }
  async function save(
    change: { name: string; role: Role; left: boolean },
    on = person.version,
  ): Promise<void> {
    const reply = await call('PUT /people/{id}', { id: person.id, body: { version: on, ...change } });
    refusal = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    editing = false;
    await invalidateAll();
  }
  async function address(): Promise<void> {
    const reply = await call('POST /people/{id}/invitation', { id: person.id });
    refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) onaddress(reply.value, person.name);
  }
  const by = $derived(
    [...(person.hasPassphrase ? ['passphrase'] : []), ...(person.hasPin ? ['PIN'] : [])].join(' and '),
  );
</script>

<li class:left={person.leftAt !== null}>
  <Face name={person.name} />
  {#if editing}
    <form
      onsubmit={(event) => {
        event.preventDefault();
        void save({ name, role, left: false }, version);
      }}
    >
      <input class="input" aria-label="Name" bind:value={name} maxlength="100" />
      <select class="input" aria-label="Role" bind:value={role}>
        {#each roles as one (one.id)}<option value={one.id}>{one.id}: {one.says}</option>{/each}
      </select>
      <button class="btn btn-sm action">Save</button>
      <button type="button" class="btn btn-sm quiet" onclick={() => (editing = false)}>Leave it</button>
    </form>
  {:else}
    <span class="name"><b>{person.name}</b> <span class="soft">{person.role}</span></span>
    <span class="soft by"
      >{#if person.leftAt}left on {person.leftAt.slice(0, 10)}
      {:else if by}signs in by {by}{:else}has not signed in yet{/if}</span
    >
    <span class="soft figure seen">{person.seenAt ? `seen ${formatMinute(person.seenAt)}` : ''}</span>
    <span class="ways">
      {#if person.leftAt}
        <button
          type="button"
          class="btn btn-sm quiet"
          onclick={() => void save({ name: person.name, role: person.role, left: false })}
          >Take them back</button
        >
      {:else}
        <button type="button" class="btn btn-sm quiet" onclick={edit}>Change</button>
        <button
          type="button"
          class="btn btn-sm quiet"
          title="Ends whatever let them in: sessions, tokens, addresses"
          onclick={() => void address()}>New address</button
        >
        <button
          type="button"
          class="btn btn-sm quiet"
          onclick={() => void save({ name: person.name, role: person.role, left: true })}
          >Works here no more</button
        >
      {/if}
    </span>
  {/if}
  {#if refusal}
    <div class="refusal">
      <Refused
        {refusal}
        onoverwrite={editing ? (now) => void save({ name, role, left: false }, now) : undefined}
      />
    </div>
  {/if}
</li>

<style>
  li {
    display: grid;
    grid-template-columns: auto minmax(9rem, 1fr) 13.5rem 13rem 20.5rem;
    gap: 0.25rem 1rem;
    align-items: center;
    padding: 0.5rem 0;
    border-top: 1px solid var(--line);
  }
  .left .name {
    opacity: 0.6;
  }
  .name {
    overflow-wrap: anywhere;
  }
  form {
    grid-column: 2 / -1;
    display: flex;
    gap: 0.5rem;
    align-items: center;
  }
  .ways {
    display: flex;
    gap: 0.375rem;
    justify-content: flex-end;
    white-space: nowrap;
  }
  .refusal {
    grid-column: 1 / -1;
  }
  @media (max-width: 62rem) {
    li {
      grid-template-columns: auto 1fr 1fr;
    }
    .seen {
      grid-column: 2;
    }
    .ways {
      grid-column: 2 / -1;
      justify-content: flex-start;
    }
  }
</style>
