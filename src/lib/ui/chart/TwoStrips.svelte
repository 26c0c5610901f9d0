<script lang="ts">
  import { twoStrips } from '$core/chart';
  import type { Disk, Partition } from '$core/disk';
  import BasinLabel from './BasinLabel.svelte';
  import BasinShape from './BasinShape.svelte';
  import Patterns from './Patterns.svelte';
  import { paintOf } from './roles';

  interface Props {
    before: Disk;
    after: Disk;
    /** Partitions that are in both. */
    pairs: readonly { before: Partition | null; after: Partition | null }[];
    /** What stands left of each strip. */
    names: readonly [string, string];
  }
  let { before, after, pairs, names }: Props = $props();

  const GAP = 4;
  const PAD = 3;
  const LEAST_WIDTH = 30;
  let room = $state(1000);
  const most = $derived(Math.max(before.partitions.length, after.partitions.length) + 3);
  const width = $derived(Math.max(room - 2 * PAD, most * (LEAST_WIDTH + GAP)));
  const follow = (key: string): string | null => {
    const pair = pairs.find((one) => one.before && `p${one.before.number}` === key);
    return pair?.after ? `p${pair.after.number}` : null;
  };
  const chart = $derived(
    twoStrips(before, after, follow, {
      width,
      scale: 'legible',
      gap: GAP,
      leastWidth: LEAST_WIDTH,
      stripHeight: 64,
      flow: 44,
    }),
  );
  const patterns = $props.id();
</script>

<div class="two">
  <div class="names">
    {#each chart.strips as strip (strip.index)}
      <p style:top="{strip.y + 14}px">{names[strip.index as 0 | 1]}</p>
    {/each}
  </div>
  <div class="scroll" bind:clientWidth={room}>
    <svg
      width={chart.width + 2 * PAD}
      height={chart.height + 2 * PAD}
      role="img"
      aria-label="The disk at the earlier and at the later survey; the table below says the same"
    >
      <Patterns id={patterns} />
      <g transform="translate({PAD} {PAD})">
        {#each chart.bands as band (band.key)}
          {@const basin = chart.strips[0]!.basins.find((candidate) => candidate.key === band.key)!}
          <path class="band" d={band.path} fill="var(--{paintOf(basin.partition!)}-line)" />
        {/each}
        {#each chart.strips as strip (strip.index)}
          {#each strip.basins as basin (basin.key)}
            <BasinShape {basin} y={strip.y} height={chart.stripHeight} {patterns} />
            <BasinLabel {basin} y={strip.y} height={chart.stripHeight} />
          {/each}
        {/each}
      </g>
    </svg>
  </div>
</div>

<style>
  .two {
    display: grid;
    grid-template-columns: 8.5rem minmax(0, 1fr);
  }
  .names {
    position: relative;
    font-weight: 650;
    font-size: 0.875rem;
    line-height: 1.25;
  }
  .names p {
    position: absolute;
    padding-right: 0.5rem;
    white-space: pre-line;
  }
  .scroll {
    overflow-x: auto;
  }
  svg {
    display: block;
  }
  .band {
    opacity: 0.2;
  }
</style>
