<script lang="ts">
  import type { Basin } from '$core/chart';
  import { endOf, ROLE_WORD, type Disk } from '$core/disk';
  import { FILE_SYSTEM_NAME, isEncrypted } from '$core/planning';
  import { formatMib, formatShare, formatSize } from '$core/units';
  import { ENCRYPTION_NAME } from '../words';
  import { paintOf } from './roles';

  /** The figures that hang below a basin. `full` adds where it starts and ends, and what kind it is. */
  let { basin, disk, full = false }: { basin: Basin; disk: Disk; full?: boolean } = $props();

  const partition = $derived(basin.partition);
  const volume = $derived(partition?.volume ?? null);
  const bytesAt = (lba: number) => formatMib(lba * disk.sectorSize);
</script>

<div
  class="hang"
  style:border-color={partition ? `var(--${paintOf(partition)}-line)` : 'var(--dry-line)'}
  class:dry={!partition}
>
  {#if partition}
    <b class="name" title={basin.name}>{basin.name}</b>
    <dl>
      <div>
        <dt>Size</dt>
        <dd class="figure">{formatSize(basin.size)}</dd>
      </div>
      {#if volume && basin.used !== null}
        <div>
          <dt>Used</dt>
          <dd class="figure">{formatSize(basin.used)} · {formatShare(basin.used, basin.size)}</dd>
        </div>
        <div>
          <dt>Free</dt>
          <dd class="figure">{formatSize(volume.size - basin.used)} free</dd>
        </div>
      {:else}
        <div>
          <dt>Used</dt>
          <dd class="soft">{volume ? 'use not known' : 'no volume'}</dd>
        </div>
      {/if}
      <div>
        <dt>File system</dt>
        <dd>
          {volume ? FILE_SYSTEM_NAME[volume.fileSystem] : 'none'}{#if volume?.dirty}, not clean{/if}
        </dd>
      </div>
      {#if isEncrypted(partition) && volume}
        <div>
          <dt>Encryption</dt>
          <dd>{ENCRYPTION_NAME[volume.encryption.state]}</dd>
        </div>
      {/if}
      {#if full}
        <div>
          <dt>Kind</dt>
          <dd>{ROLE_WORD[partition.role]}</dd>
        </div>
        <div class="gap">
          <dt>Number</dt>
          <dd class="soft">partition <span class="figure">{partition.number}</span></dd>
        </div>
        <div>
          <dt>Starts at</dt>
          <dd class="figure soft" title="sector {partition.first}">from {bytesAt(partition.first)}</dd>
        </div>
        <div>
          <dt>Ends at</dt>
          <dd class="figure soft" title="sector {endOf(partition) - 1}">to {bytesAt(endOf(partition))}</dd>
        </div>
      {/if}
    </dl>
  {:else}
    <b class="name soft">Unallocated</b>
    <dl>
      <div>
        <dt>Size</dt>
        <dd class="figure">{formatSize(basin.size)}</dd>
      </div>
      {#if full}
        <div>
          <dt>Starts at</dt>
          <dd class="figure soft" title="sector {basin.extent.first}">from {bytesAt(basin.extent.first)}</dd>
        </div>
        <div>
          <dt>Ends at</dt>
          <dd class="figure soft" title="sector {endOf(basin.extent) - 1}">
            to {bytesAt(endOf(basin.extent))}
          </dd>
        </div>
      {/if}
    </dl>
  {/if}
</div>

<style>
  .hang {
    border-left: 2px solid;
    padding: 0 0 0.25rem 0.5rem;
    margin-top: -0.5rem;
    padding-top: 0.5rem;
    height: 100%;
  }
  .dry {
    border-left-style: dashed;
  }
  .name {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  dt {
    position: absolute;
    width: 1px;
    height: 1px;
    overflow: hidden;
    clip-path: inset(50%);
  }
  dd {
    font-size: 0.8438rem;
    line-height: 1.5rem;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    letter-spacing: -0.01em;
  }
  .gap {
    margin-top: 0.375rem;
  }
  .soft {
    color: var(--ink-soft);
  }
</style>
