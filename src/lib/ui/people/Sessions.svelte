<script lang="ts">
  import { invalidateAll } from '$app/navigation';
  import { send, type Refusal } from '$ui/api';
  import Refused from '$ui/Refused.svelte';

  interface Row {
    id: number;
    device: number;
    deviceName: string;
    address: string;
    name: string;
    createdAt: Date;
    seenAt: Date;
  }
  interface Props {
    sessions: readonly Row[];
    /** The session of this very screen. */
    here: number | null;
    /** Whether the person stands in each row. */
    everybody?: boolean;
  }
  let { sessions, here, everybody = false }: Props = $props();
  let refusal = $state.raw<Refusal | null>(null);

  async function end(path: string): Promise<void> {
    const reply = await send('DELETE', path);
    refusal = reply.ok ? null : reply.refusal;
    await invalidateAll();
  }
  const at = (when: Date): string => when.toISOString().slice(0, 16).replace('T', ' ');
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
        <td class="figure">{at(one.seenAt)}</td>
        <td class="figure">{at(one.createdAt)}</td>
        <td class="ways">
          {#if one.id === here}<span class="soft">this screen</span>
          {:else}
            <button
              type="button"
              class="btn btn-sm quiet"
              onclick={() => void end(`/api/v1/sessions/${one.id}`)}>End it</button
            >
            {#if everybody}
              <button
                type="button"
                class="btn btn-sm quiet"
                onclick={() => void end(`/api/v1/devices/${one.device}`)}>The device is gone</button
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
