<script lang="ts">
  import { isEncrypted } from '$core/tools';
  import type { Basin } from '$core/chart';
  import {
    FILE_SYSTEM_NAME,
    describeAttributes,
    nameAttributes,
    diskBytes,
    endOf,
    ROLE_WORD,
    typeName,
    type Disk,
    type Partition,
  } from '$core/disk';

  import { formatMib, formatShare, formatSize } from '$core/units';
  import { ENCRYPTION_NAME } from '../words';
  import { paintOf } from './roles';

  interface Props {
    basin: Basin;
    disk: Disk;
    /** Adds all that the survey knows of it: share, number, type, attributes, start and end. */
    full?: boolean;
    /** Makes its name a button. */
    onchoose?: () => void;
  }
  let { basin, disk, full = false, onchoose }: Props = $props();

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
    const share = basin.size / diskBytes(disk);
    const ofDisk: Row = {
      label: 'Share of the disk',
      text: `${share < 0.01 ? 'under 1 %' : formatShare(basin.size, diskBytes(disk))} of the disk`,
      soft: true,
    };
    if (!partition) return full ? [size, ofDisk, ...place] : [size];
    const system: Row = { label: 'File system', text: fileSystemOf(partition) };
    if (!full) return [size, ...useOf(partition), system];
    return [size, ofDisk, ...useOf(partition), system, ...kindOf(partition), ...place];
  });

  function kindOf(of: Partition): Row[] {
    const words = disk.table === 'gpt' ? nameAttributes(of.attributes) : of.active ? ['active'] : [];
    const unread = disk.table === 'gpt' && BigInt(of.unreadAttributes) !== 0n;
    const kind = of.kind === 'primary' ? '' : `${of.kind} `;
    return [
      {
        label: 'Encryption',
        text: of.volume ? ENCRYPTION_NAME[of.volume.encryption.state] : NONE,
        soft: !isEncrypted(of),
      },
      { label: 'Role', text: ROLE_WORD[of.role] },
      { label: 'Number', text: `${kind}partition ${of.number}`, soft: true },
      { label: 'Type', text: typeName(of.type), title: of.type },
      {
        label: 'Attributes',
        text: words.join(', ') || (unread ? 'attributes not read' : 'no attributes'),
        title: disk.table === 'gpt' ? describeAttributes(of) : undefined,
        soft: words.length === 0,
      },
    ];
  }

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
    const { fileSystem, dirty, encryption, bootSectorDamaged } = of.volume;
    const parts = [FILE_SYSTEM_NAME[fileSystem]];
    if (!full && isEncrypted(of) && fileSystem !== 'encrypted') parts.push(ENCRYPTION_NAME[encryption.state]);
    if (bootSectorDamaged) parts.push('boot sector damaged');
    if (dirty) parts.push('not clean');
    return parts.join(', ');
  }

  function mibAt(lba: number): string {
    return formatMib(lba * disk.sectorSize, disk.sectorSize);
  }
</script>

<div
  class="hang"
  class:dry={!partition}
  style:border-color={partition ? `var(--${paintOf(partition)}-line)` : 'var(--dry-line)'}
>
  {#if onchoose}
    <button type="button" class:soft={!partition} title={basin.name} onclick={onchoose}>{basin.name}</button>
  {:else}
    <b class:soft={!partition} title={basin.name}>{basin.name}</b>
  {/if}
  <dl>
    {#each rows as row, i (i)}
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
  button,
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
  button {
    max-width: 100%;
    font-weight: 700;
    text-align: left;
    text-decoration: underline dotted var(--line-strong) 1px;
    text-underline-offset: 3px;
  }
</style>
