<script lang="ts">
  import type { Basin } from '$core/chart';
  import BasinLabel from './BasinLabel.svelte';
  import BasinShape from './BasinShape.svelte';
  import { describeBasin, STRIP_HEIGHT } from './measures';

  /** One strip of a chart, every basin of which can be chosen. */
  interface Props {
    basins: readonly Basin[];
    index: number;
    y: number;
    patterns: string;
    /** How the moment is called that the strip shows. */
    moment: string;
    sectorSize: number;
    /** Key of the chosen basin, where it is on this strip. */
    chosen: string | null;
    /** Key of the basin that Tab comes to, where it is on this strip. */
    current: string | null;
    /** Key of the basin that is held or traced through the strips. */
    marked: string | null;
    /** All other partitions step back while one is traced. */
    fades?: boolean;
    onchoose: (strip: number, basin: Basin) => void;
    onpoint?: (key: string | null) => void;
  }
  let {
    basins,
    index,
    y,
    patterns,
    moment,
    sectorSize,
    chosen,
    current,
    marked,
    fades = false,
    onchoose,
    onpoint,
  }: Props = $props();
</script>

{#each basins as basin (basin.key)}
  <g
    role="button"
    tabindex={current === basin.key ? 0 : -1}
    aria-label={describeBasin(basin, moment, sectorSize)}
    aria-pressed={chosen === basin.key}
    data-spot="{index}-{basin.key}"
    onclick={() => onchoose(index, basin)}
    onfocus={() => onchoose(index, basin)}
    onkeydown={({ key }) => (key === 'Enter' || key === ' ') && onchoose(index, basin)}
    onpointerenter={() => onpoint?.(basin.partition && basin.key)}
    onpointerleave={() => onpoint?.(null)}
  >
    <BasinShape
      {basin}
      {y}
      height={STRIP_HEIGHT}
      {patterns}
      heavy={chosen === basin.key || marked === basin.key}
      faded={fades && basin.partition !== null && marked !== basin.key}
    />
    <BasinLabel {basin} {y} height={STRIP_HEIGHT} />
  </g>
{/each}

<style>
  g[role='button'] {
    cursor: pointer;
  }
  g[role='button']:focus {
    outline: none;
  }
  g[role='button']:focus-visible {
    outline: 3px solid var(--focus);
    outline-offset: 1px;
    border-radius: 6px;
  }
</style>
