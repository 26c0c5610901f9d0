<script lang="ts">
  import type { Basin } from '$core/chart';
  import { endOf, ROLE_WORD, type Disk, type Partition } from '$core/disk';
  import { FILE_SYSTEM_NAME, isEncrypted } from '$core/planning';
  import { formatMib, formatShare, formatSize } from '$core/units';
  import { ENCRYPTION_NAME } from '../words';
  import { paintOf } from './roles';

  interface Props {
    basin: Basin;
    disk: Disk;
    /** Adds what kind it is, its number, and where it starts and ends. */
    full?: boolean;
  }
  let { basin, disk, full = false }: Props = $props();

  interface Row {
    label: string;
    text: string;
    figure?: boolean;
    soft?: boolean;
    title?: string;
  }

  /** Below this width the share would be cut off; the water level shows it anyway. */
  const SHARE_WIDTH = 156;
  const NONE = '–';

  const partition = $derived(basin.partition);

  // Every column has the same rows, so that figures of one kind stand on one line across the disk.
  const rows = $derived.by((): Row[] => {
    const size: Row = { label: 'Size', text: formatSize(basin.size), figure: true };
    const place: Row[] = [
      {
        label: 'Starts at',
        text: `at ${mibAt(basin.extent.first)}`,
        figure: true,
        soft: true,
        title: `sector ${basin.extent.first}`,
      },
      {
        label: 'Ends at',
        text: `to ${mibAt(endOf(basin.extent))}`,
        figure: true,
        soft: true,
        title: `sector ${endOf(basin.extent) - 1}`,
      },
    ];
    if (!partition) return full ? [size, ...place] : [size];
    const kind: Row[] = [
      { label: 'Kind', text: ROLE_WORD[partition.role] },
      { label: 'Number', text: `partition ${partition.number}`, soft: true },
    ];
    const rows = [size, ...useOf(partition), { label: 'File system', text: fileSystemOf(partition) }];
    return full ? [...rows, ...kind, ...place] : rows;
  });

  function useOf({ volume }: Partition): Row[] {
    if (!volume || basin.used === null) {
      return [
        { label: 'Used', text: volume ? 'use not known' : NONE, soft: true },
        { label: 'Free', text: NONE, soft: true },
      ];
    }
    const share = basin.width >= SHARE_WIDTH ? ` · ${formatShare(basin.used, basin.size)}` : '';
    return [
      { label: 'Used', text: `${formatSize(basin.used)}${share}`, figure: true },
      { label: 'Free', text: `${formatSize(volume.size - basin.used)} free`, figure: true },
    ];
  }

  function fileSystemOf(of: Partition): string {
    if (!of.volume) return 'no volume';
    const { fileSystem, dirty, encryption } = of.volume;
    const parts = [FILE_SYSTEM_NAME[fileSystem]];
    if (isEncrypted(of) && fileSystem !== 'encrypted') parts.push(ENCRYPTION_NAME[encryption.state]);
    if (dirty) parts.push('not clean');
    return parts.join(', ');
  }

  function mibAt(lba: number): string {
    return formatMib(lba * disk.sectorSize);
  }
</script>

<div
  class="hang"
  class:dry={!partition}
  style:border-color={partition ? `var(--${paintOf(partition)}-line)` : 'var(--dry-line)'}
>
  <b class:soft={!partition} title={basin.name}>{basin.name}</b>
  <dl>
    {#each rows as row (row.label)}
      <div>
        <dt class="visually-hidden">{row.label}</dt>
        <dd class:figure={row.figure} class:soft={row.soft} title={row.title ?? row.text}>{row.text}</dd>
      </div>
    {/each}
  </dl>
</div>

<style>
  .hang {
    border-left: 2px solid;
    margin-top: -0.5rem;
    padding: 0.5rem 0 0.25rem 0.5rem;
  }
  .dry {
    border-left-style: dashed;
  }
  b,
  dd {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  dd {
    font-size: 0.8438rem;
    line-height: 1.5rem;
    letter-spacing: -0.01em;
  }
  dd.figure {
    letter-spacing: -0.035em;
  }
  .soft {
    color: var(--ink-soft);
  }
</style>
