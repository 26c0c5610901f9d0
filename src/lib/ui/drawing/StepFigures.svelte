<script lang="ts">
  import type { Intent } from '$core/steps';
  import { alignment, type Disk } from '$core/disk';
  import type { PlannedStep } from '$core/drawing';
  import { roundDown } from '$core/units';
  import SizeField from '../byHand/SizeField.svelte';

  /** The figures of a step, to be given anew. What follows is computed again; what no longer fits is marked. */
  let { drawn, disk, onchange }: { drawn: PlannedStep; disk: Disk; onchange: (intent: Intent) => void } =
    $props();
  const { intent } = $derived(drawn);

  /** Sectors of a typed size: whole MiB, unless it is exact in sectors. */
  function sectorsOf(bytes: number | null): number | null {
    if (bytes === null || bytes <= 0) return null;
    const sectors = bytes / disk.sectorSize;
    return Number.isInteger(sectors) ? sectors : roundDown(Math.floor(sectors), alignment(disk)) || null;
  }
  function give(bytes: number | null, make: (sectors: number) => Intent): string | undefined {
    const sectors = sectorsOf(bytes);
    if (sectors === null) return 'Type a size above nothing, for example 990 MiB.';
    onchange(make(sectors));
    return undefined;
  }
</script>

{#if intent.verb === 'move'}
  <SizeField
    label="Start"
    bytes={intent.first * disk.sectorSize}
    ongive={(bytes) => give(bytes, (first) => ({ ...intent, first }))}
  />
{:else if 'to' in intent}
  <SizeField
    label="Start"
    bytes={intent.to.first * disk.sectorSize}
    ongive={(bytes) => give(bytes, (first) => ({ ...intent, to: { ...intent.to, first } }))}
  />
  <SizeField
    label="Size"
    bytes={intent.to.sectors * disk.sectorSize}
    ongive={(bytes) => give(bytes, (sectors) => ({ ...intent, to: { ...intent.to, sectors } }))}
  />
{/if}
