<script lang="ts">
  import { FILE_SYSTEM_NAME, bytesOf, plainName } from '$core/disk';

  import type { Machine } from '$core/survey';
  import { formatSize } from '$core/units';

  interface Props {
    /** A machine whose survey does not tell which volume is Windows. */
    machine: Machine;
    /** Says which it is; null: none of them. */
    onname: (place: { disk: number; partition: number } | null) => void;
  }
  let { machine, onname }: Props = $props();

  const candidates = $derived(
    machine.windowsInDoubt.flatMap((place) => {
      const disk = machine.disks.find(({ number }) => number === place.disk);
      const partition = disk?.partitions.find(({ number }) => number === place.partition);
      return disk && partition ? { place, disk, partition } : [];
    }),
  );
</script>

<section aria-labelledby="which-windows" class="ask">
  <h2 id="which-windows">Which of these is Windows?</h2>
  <p class="soft">
    This survey has no drive letters, and more than one volume may be it. What may move, and what the machine
    starts from, depends on it, so the diagnosis waits for your word.
  </p>
  <ul>
    {#each candidates as { place, disk, partition } (`${disk.number}/${partition.number}`)}
      {@const volume = partition.volume}
      <li>
        <button type="button" class="btn action" onclick={() => onname(place)}
          >Partition {partition.number} is Windows</button
        >
        <span class="figure">{formatSize(bytesOf(disk, partition))}</span>
        <span>
          {volume ? FILE_SYSTEM_NAME[volume.fileSystem] : 'no volume'}{#if volume?.used != null}, {formatSize(
              volume.used,
            )} used{/if}{#if partition.active}, active{/if}
        </span>
        <span class="name" title={plainName(partition)}>
          {volume?.label ? `“${volume.label}”` : 'no label'}{#if machine.disks.length > 1}, on disk {disk.number}{/if}
        </span>
      </li>
    {/each}
  </ul>
  <button type="button" class="btn btn-sm quiet" onclick={() => onname(null)}
    >None of them: these disks hold data only</button
  >
</section>

<style>
  .ask {
    display: grid;
    gap: 0.75rem;
    justify-items: start;
    padding: 1rem 1.25rem 1.25rem;
    border: 1px solid var(--line);
    border-left: 4px solid var(--accent);
    border-radius: 0.5rem;
    background: var(--card);
  }
  h2 {
    margin: 0;
    font-size: 1.125rem;
  }
  .soft {
    max-width: 62rem;
  }
  ul {
    display: grid;
    grid-template-columns: max-content max-content max-content minmax(0, 1fr);
    gap: 0.5rem 1.5rem;
    align-items: center;
    width: 100%;
    /* Of many candidates some: the disk below has to stay in sight. */
    max-height: 15rem;
    padding: 0.25rem;
    overflow-y: auto;
  }
  li {
    display: grid;
    grid-column: 1 / -1;
    grid-template-columns: subgrid;
    align-items: center;
  }
  .figure {
    text-align: right;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
</style>
