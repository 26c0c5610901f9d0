<script lang="ts">
  import { PREFERENCES } from '../words';
  import RouteCard from './RouteCard.svelte';
  import type { RouteChoice } from './routeChoice.svelte';

  interface Props {
    choice: RouteChoice;
    /** Place of the route that is chosen for the job. */
    chosen: number | null;
    kitName: (id: string) => string;
  }
  let { choice, chosen, kitName }: Props = $props();
</script>

{#snippet card(index: number, reasons: readonly { text: string }[])}
  {@const route = choice.routes[index]!}
  <RouteCard
    {route}
    kit={kitName(route.kit)}
    reasons={reasons.map(({ text }) => text)}
    shown={index === choice.shown}
    chosen={index === chosen}
    beside={index === choice.beside}
    onshow={() => choice.show(index)}
    onbeside={() => choice.toggleBeside(index)}
  />
{/snippet}

<div class="head">
  <h2 class="small-title">Routes found · {choice.order.length}</h2>
  <label
    ><span class="visually-hidden">Of which kit</span><select class="input" bind:value={choice.kit}>
      <option value="">all kits</option>
      {#each choice.kits as id (id)}<option value={id}>{kitName(id)}</option>{/each}
    </select></label
  >
  <label
    ><span class="visually-hidden">Ordered by</span><select class="input" bind:value={choice.prefer}>
      {#each PREFERENCES as [id, says] (id)}<option value={id}>{says}</option>{/each}
    </select></label
  >
</div>
<ul>
  {#each choice.few as { index, reasons } (index)}{@render card(index, reasons)}{/each}
</ul>
{#if choice.kit === ''}<p class="soft">{choice.windowsAlone}</p>{/if}
{#if choice.rest.length > 0}
  <details>
    <summary>{choice.rest.length} more, each better in some figure</summary>
    <ul>
      {#each choice.rest as index (index)}{@render card(index, [])}{/each}
    </ul>
  </details>
{/if}

<style>
  .head {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.375rem;
    align-items: center;
    margin-bottom: 0.5rem;
  }
  h2 {
    grid-column: 1 / 3;
    margin: 0;
  }
  .input {
    padding: 0.125rem 1.5rem 0.125rem 0.5rem;
    font-size: 0.8125rem;
  }
  ul {
    display: grid;
    gap: 0.5rem;
    padding: 0;
  }
  p {
    font-size: 0.8438rem;
    padding: 0.375rem 0;
  }
  details {
    margin: 0.5rem 1rem 0 0;
  }
  summary {
    padding: 0.25rem 0;
  }
</style>
