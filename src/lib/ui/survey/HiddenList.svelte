<script lang="ts">
  import { listHidden, type Disk } from '$core/disk';
  import { formatSize } from '$core/units';

  let { disk }: { disk: Disk } = $props();
  const hidden = $derived(listHidden(disk));
</script>

{#if hidden.length > 0}
  <details>
    <summary>
      Windows hides {hidden.length === 1 ? 'one stretch' : `${hidden.length} stretches`} of disk {disk.number} from
      people
    </summary>
    <ul>
      {#each hidden as { what, why, extent, bytes }, i (i)}
        <li>
          <b>{what}</b> <span class="figure">{formatSize(bytes)}</span>
          <span class="soft">from sector <span class="figure">{extent.first}</span>, {why}</span>
        </li>
      {/each}
    </ul>
  </details>
{/if}

<style>
  ul {
    columns: 2;
    column-gap: 2.5rem;
    padding-top: 0.375rem;
    font-size: 0.8438rem;
  }
  li {
    break-inside: avoid;
    padding: 0.1875rem 0;
  }
  @media (max-width: 60rem) {
    ul {
      columns: 1;
    }
  }
</style>
