<script lang="ts">
  import { axisOf, heightOf, drawOneStrip } from '$core/chart';
  import type { Disk, Partition } from '$core/disk';
  import { layoutOf } from '$core/steps';
  import BandRow from './BandRow.svelte';
  import BasinLabel from './BasinLabel.svelte';
  import BasinShape from './BasinShape.svelte';
  import { PAD, makeTideOptions } from './measures';
  import Patterns from './Patterns.svelte';

  interface Props {
    before: Disk;
    after: Disk;
    /** Partitions that are in both. */
    pairs: readonly { before: Partition | null; after: Partition | null }[];
    /** What stands left of each strip. */
    names: readonly [string, string];
  }
  let { before, after, pairs, names }: Props = $props();

  let room = $state(1000);
  const longer = $derived(before.partitions.length > after.partitions.length ? before : after);
  const options = $derived(makeTideOptions(longer, room, 'legible'));
  const follow = (key: string): string | null => {
    const pair = pairs.find((one) => one.before && `p${one.before.number}` === key);
    return pair?.after ? `p${pair.after.number}` : null;
  };
  const moments = $derived([before, after].map((disk) => ({ disk, layout: layoutOf(disk) })));
  const axis = $derived(axisOf(moments, options));
  const strips = $derived(
    moments.map(({ disk, layout }, index) => drawOneStrip(disk, layout, index, axis, options)),
  );
  const patterns = $props.id();
</script>

<div class="two">
  <div class="names">
    {#each strips as strip (strip.index)}
      <p style:top="{strip.y + 14}px">{names[strip.index as 0 | 1]}</p>
    {/each}
  </div>
  <div class="scroll" bind:clientWidth={room}>
    <svg
      width={options.width + 2 * PAD}
      height={heightOf(strips, options) + 2 * PAD}
      role="img"
      aria-label="The disk at the earlier and at the later survey; the table below says the same"
    >
      <Patterns id={patterns} />
      <g transform="translate({PAD} {PAD})">
        <BandRow above={strips[0]!} below={strips[1]!} {follow} />
        {#each strips as strip (strip.index)}
          {#each strip.basins as basin (basin.key)}
            <BasinShape {basin} y={strip.y} height={options.stripHeight} {patterns} />
            <BasinLabel {basin} y={strip.y} height={options.stripHeight} />
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
</style>
