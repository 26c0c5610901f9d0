<script lang="ts">
  import { call, type Refusal, type Reply } from '$contract/client';
  import type { SessionRow } from '$contract/people';
  import { invalidateAll } from '$app/navigation';
  import { formatMinute } from '$ui/survey/surveyLine';
  import Refused from '$ui/Refused.svelte';

  interface Props {
    sessions: readonly SessionRow[];
    /** The session of this very screen. */
    here: number | null;
    /** Whether the person stands in each row. */
    everybody?: boolean;
  }
  let { sessions, here, everybody = false }: Props = $props();
  let refusal = $state.raw<Refusal | null>(null);

  async function end(ended: Promise<Reply<null>>): Promise<void> {
    const reply = await ended;
    refusal = reply.ok ? null : reply.refusal;
    await invalidateAll();
  }
</script>

{#if refusal}<Refused {refusal} />{/if}
<table>
  <thead>
    <tr>
      {#if everybody}<th scope="col">Who</th>{/if}<th scope="col">Device</th><th scope="col">Last used</th><th
        scope="col">Signed in</th
      ><td></td>
    </tr>
  </thead>
  <tbody>
    {#each sessions as one (one.id)}
      <tr>
        {#if everybody}<td><b>{one.name}</b></td>{/if}
        <td>{one.deviceName} <span class="soft figure">{one.address}</span></td>
        <td class="figure">{formatMinute(one.seenAt)}</td>
        <td class="figure">{formatMinute(one.createdAt)}</td>
        <td class="ways">
          {#if one.id === here}<span class="soft">this screen</span>
          {:else}
            <button
              type="button"
              class="btn btn-sm quiet"
              onclick={() => void end(call('DELETE /sessions/{id}', { id: one.id }))}>End it</button
            >
            {#if everybody}
              <button
                type="button"
                class="btn btn-sm quiet"
                onclick={() => void end(call('DELETE /devices/{id}', { id: one.device }))}
                >The device is gone</button
              >
            {/if}
          {/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>

<style>
  table {
    border-collapse: collapse;
    width: 100%;
  }
  th,
  td {
    padding: 0.375rem 1rem 0.375rem 0;
    text-align: left;
    border-top: 1px solid var(--line);
    vertical-align: middle;
  }
  thead th,
  thead td {
    border: 0;
    color: var(--ink-soft);
    font-weight: 400;
  }
  .ways {
    text-align: right;
    padding-right: 0;
    white-space: nowrap;
  }
</style>
