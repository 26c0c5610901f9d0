<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import type { TokenRow } from '$contract/people';
  import type { Scope } from '$contract/roles';
  import { invalidateAll } from '$app/navigation';
  import Refused from '$ui/Refused.svelte';
  import Present from './Present.svelte';

  interface Props {
    tokens: readonly TokenRow[];
    scopes: readonly { id: Scope; says: string }[];
  }
  let { tokens, scopes }: Props = $props();
  let name = $state('');
  let present = $state('');
  let days = $state(90);
  let chosen = $state<Scope[]>(['jobs:read']);
  let made = $state<string | null>(null);
  let refusal = $state.raw<Refusal | null>(null);

  async function make(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const reply = await call('POST /tokens', { body: { present, name, scopes: chosen, days } });
    present = '';
    refusal = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    made = reply.value.token;
    name = '';
    await invalidateAll();
  }
  async function end(id: number): Promise<void> {
    const reply = await call('DELETE /tokens/{id}', { id });
    refusal = reply.ok ? null : reply.refusal;
    await invalidateAll();
  }
  const day = (at: string): string => at.slice(0, 10);
</script>

{#if refusal && !refusal.fields.some(({ path }) => path === '/present')}<Refused {refusal} />{/if}
{#if made}
  <p class="made" role="status">
    <b>Keep it now, it is not shown again:</b>
    <code class="figure">{made}</code>
    <span class="soft">The program sends it as “Authorization: Bearer …”.</span>
    <button type="button" class="btn btn-sm quiet" onclick={() => (made = null)}>I have it</button>
  </p>
{/if}
{#if tokens.length > 0}
  <ul>
    {#each tokens as token (token.id)}
      <li>
        <b>{token.name}</b>
        <span class="soft">{token.scopes.join(', ')}</span>
        <span class="soft">until <span class="figure">{day(token.endsAt)}</span></span>
        <span class="soft">{token.seenAt ? `last used ${day(token.seenAt)}` : 'never used'}</span>
        <button type="button" class="btn btn-sm quiet" onclick={() => void end(token.id)}>End it</button>
      </li>
    {/each}
  </ul>
{/if}
<details>
  <summary>A token for a program</summary>
  <form onsubmit={make}>
    <label
      ><span>What it is for</span><input class="input" bind:value={name} maxlength="100" required /></label
    >
    <fieldset>
      <legend>It may</legend>
      {#each scopes as scope (scope.id)}
        <label class="choice"
          ><input type="checkbox" bind:group={chosen} value={scope.id} />{scope.says}</label
        >
      {/each}
    </fieldset>
    <label class="days"
      ><span>Days that it is good for</span><input
        class="input figure"
        type="number"
        min="1"
        max="366"
        bind:value={days}
      /></label
    >
    <Present bind:value={present} {refusal} />
    <p>
      <button class="btn quiet" disabled={chosen.length === 0 || name.trim() === '' || present === ''}
        >Make the token</button
      >
    </p>
  </form>
</details>

<style>
  .made {
    display: grid;
    gap: 0.375rem;
    justify-items: start;
    padding: 1rem;
    background: var(--card);
    border-left: 4px solid var(--accent);
    border-radius: 0.375rem;
  }
  code {
    overflow-wrap: anywhere;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 0.25rem 1rem;
    align-items: center;
    padding: 0.375rem 0;
    border-top: 1px solid var(--line);
  }
  li button {
    margin-left: auto;
  }
  form {
    display: grid;
    gap: 0.75rem;
    padding-top: 0.75rem;
    max-width: 34rem;
  }
  form label {
    display: grid;
    gap: 0.25rem;
    font-weight: 600;
  }
  form .choice {
    display: flex;
    gap: 0.5rem;
    font-weight: 400;
  }
  legend {
    font-weight: 600;
  }
  .days .input {
    width: 7rem;
  }
</style>
