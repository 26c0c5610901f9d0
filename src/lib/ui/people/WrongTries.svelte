<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { invalidateAll } from '$app/navigation';
  import { formatMinute } from '$ui/survey/surveyLine';
  import Refused from '$ui/Refused.svelte';

  interface Props {
    /** Wrong tries to sign in as whoever is signed in, the last place first. */
    tries: readonly { place: string; count: number; lastAt: string }[];
  }
  let { tries }: Props = $props();
  let refusal = $state.raw<Refusal | null>(null);
  const count = $derived(tries.reduce((sum, one) => sum + one.count, 0));
  const last = $derived(tries[0]);

  async function know(): Promise<void> {
    const reply = await call('DELETE /me/wrong-tries');
    refusal = reply.ok ? null : reply.refusal;
    if (reply.ok) await invalidateAll();
  }
</script>

{#if last}
  <div class="tries" role="alert">
    <p>
      <b>{count === 1 ? 'One wrong try' : `${count} wrong tries`} to sign in as you.</b>
      The last came from {last.place}
      <span class="figure">({formatMinute(last.lastAt)} UTC)</span>.
      {#if tries.length > 1}Further ones came from {tries
          .slice(1, 4)
          .map(({ place }) => place)
          .join('; ')}{tries.length > 4 ? ` and ${tries.length - 4} more places` : ''}.{/if}
      If it was not you, <a href="/me">change what you sign in with</a>, and tell an owner.
    </p>
    <button type="button" class="btn btn-sm quiet" onclick={() => void know()}>I know of them</button>
    {#if refusal}<Refused {refusal} />{/if}
  </div>
{/if}

<style>
  .tries {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 0.5rem 1rem;
    padding: 0.5rem 1.5rem;
    border-left: 4px solid var(--exposed);
    background: var(--card);
  }
  p {
    flex: 1;
    min-width: 16rem;
    overflow-wrap: anywhere;
  }
  a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  @media print {
    .tries {
      display: none;
    }
  }
</style>
