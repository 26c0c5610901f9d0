<script lang="ts">
  import { changeTable } from '$core/byHand';
  import type { Media, TableKind } from '$core/disk';
  import type { SurveyDisk } from '$core/survey';
  import { GIB, MIB } from '$core/units';
  import { omit } from '$core/omit';
  import { MEDIA_NAME } from '../words';
  import ChoiceField from './ChoiceField.svelte';
  import SizeField from './SizeField.svelte';
  import TextField from './TextField.svelte';

  let { disk, ondisk }: { disk: SurveyDisk; ondisk: (disk: SurveyDisk) => void } = $props();

  const MEDIA = Object.entries(MEDIA_NAME) as [Media, string][];
  const TABLES: [TableKind, string][] = [
    ['gpt', 'GPT'],
    ['mbr', 'MBR'],
  ];
  /** The largest that the survey document takes, and the least that holds a table and a volume. */
  const LEAST = 64 * MIB;
  const MOST = 8 * 1024 * 1024 * GIB;

  function resize(bytes: number | null): string | undefined {
    if (bytes === null || bytes < LEAST) return 'A disk has at least 64 MiB.';
    if (bytes > MOST) return 'No disk is that large.';
    // Where the table ends follows from the size again.
    const rest = omit(disk, 'backupHeader', 'firstUsable', 'lastUsable');
    ondisk({ ...rest, sectors: Math.floor(bytes / disk.sectorSize) });
    return undefined;
  }
  function sectorSize(text: string): void {
    const next = Number(text);
    const scale = disk.sectorSize / next;
    ondisk({
      ...disk,
      sectorSize: next,
      sectors: Math.floor(disk.sectors * scale),
      partitions: disk.partitions.map((one) => ({
        ...one,
        first: Math.round(one.first * scale),
        sectors: Math.max(1, Math.round(one.sectors * scale)),
      })),
    });
  }
</script>

<div class="fields">
  <SizeField label="Size" bytes={disk.sectors * disk.sectorSize} ongive={resize} />
  <ChoiceField
    label="Kind"
    value={disk.media}
    options={MEDIA}
    onchoose={(media) => ondisk({ ...disk, media })}
  />
  <ChoiceField
    label="Table"
    value={disk.table}
    options={TABLES}
    onchoose={(table) => ondisk(changeTable(disk, table))}
  />
  <ChoiceField
    label="Sector"
    value={String(disk.sectorSize)}
    options={[
      ['512', '512 bytes'],
      ['4096', '4,096 bytes'],
    ]}
    onchoose={sectorSize}
  />
  <TextField label="Serial" value={disk.serial ?? ''} ongive={(serial) => ondisk({ ...disk, serial })} />
  <TextField label="Model" value={disk.model ?? ''} ongive={(model) => ondisk({ ...disk, model })} />
</div>

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(12rem, 1fr));
    gap: 0.375rem 1rem;
  }
</style>
