<script lang="ts">
  import type { Basin } from '$core/chart';
  import { formatMib, formatShare, formatSize } from '$core/units';
  import BasinLabel from '../chart/BasinLabel.svelte';
  import BasinShape from '../chart/BasinShape.svelte';

  interface Props {
    basins: readonly Basin[];
    index: number;
    y: number;
    height: number;
    patterns: string;
    result: string;
    sectorSize: number;
    /** Key of the chosen basin, where it is on this strip. */
    chosen: string | null;
    /** Key of the basin that Tab comes to, where it is on this strip. */
    current: string | null;
    held: string | null;
    onchoose: (strip: number, key: string) => void;
  }
  let { basins, index, y, height, patterns, result, sectorSize, chosen, current, held, onchoose }: Props =
    $props();

  const says = (basin: Basin): string =>
    [
      `${result}: ${basin.name}`,
      formatSize(basin.size),
      basin.used === null ? '' : `${formatShare(basin.used, basin.size)} used`,
      `starts at ${formatMib(basin.extent.first * sectorSize)}`,
    ]
      .filter(Boolean)
      .join(', ');
</script>

{#each basins as basin (basin.key)}
  <g
    role="button"
    tabindex={current === basin.key ? 0 : -1}
    aria-label={says(basin)}
    aria-pressed={chosen === basin.key}
    data-spot="{index}-{basin.key}"
    onclick={() => onchoose(index, basin.key)}
    onfocus={() => onchoose(index, basin.key)}
    onkeydown={() => undefined}
  >
    <BasinShape {basin} {y} {height} {patterns} heavy={chosen === basin.key || held === basin.key} />
    <BasinLabel {basin} {y} {height} />
  </g>
{/each}

<style>
  g[role='button']:focus {
    outline: none;
  }
  g[role='button']:focus-visible {
    outline: 3px solid var(--focus);
    outline-offset: 1px;
    border-radius: 6px;
  }
</style>
