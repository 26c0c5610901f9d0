<script lang="ts">
  import { type Step } from '$core/steps';
  import { firstSpot, tideChart, walk, type Basin, DIRECTIONS, type ScaleKind, type Spot } from '$core/chart';
  import type { Disk } from '$core/disk';
  import { formatMib, formatShare, formatSize } from '$core/units';
  import BasinLabel from './BasinLabel.svelte';
  import BasinShape from './BasinShape.svelte';
  import Costs from './Costs.svelte';
  import Moments from './Moments.svelte';
  import Patterns from './Patterns.svelte';
  import { paintOf } from './roles';

  interface Props {
    disk: Disk;
    steps: readonly Step[];
    scale: ScaleKind;
    selected: Spot | null;
    onselect: (spot: Spot, basin: Basin) => void;
  }
  let { disk, steps, scale, selected, onselect }: Props = $props();

  const GAP = 3;
  const PAD = 3;
  /** Below this a basin can't be pointed at. */
  const LEAST_WIDTH = 9;

  let room = $state(680);
  const count = $derived(disk.partitions.length + 4);
  const width = $derived(Math.max(room - 2 * PAD, count * (LEAST_WIDTH + GAP)));
  const leastWidth = $derived(Math.max(LEAST_WIDTH, Math.min(34, width / (1.6 * count))));
  const chart = $derived(
    tideChart(disk, steps, {
      width,
      scale,
      gap: scale === 'true' ? 0 : GAP,
      leastWidth,
      stripHeight: 58,
      flow: 46,
    }),
  );
  const tops = $derived(chart.strips.map((strip) => strip.y));
  const patterns = $props.id();

  /** What is traced through all strips: a partition, or the partition of a step. */
  let pointed = $state<string | null>(null);
  let pointedStep = $state<number | null>(null);
  const stepKey = (index: number): string | null => {
    const step = steps[index];
    return step && step.partition !== null ? `p${step.partition}` : null;
  };
  const traced = $derived(pointed ?? (pointedStep === null ? null : stepKey(pointedStep)));
  const current = $derived(selected ?? firstSpot(chart.strips));

  const moment = (index: number): string =>
    index === 0 ? 'As found' : index === steps.length ? 'As left' : `After step ${index}`;
  const says = (basin: Basin, index: number): string =>
    [
      `${moment(index)}: ${basin.name}`,
      formatSize(basin.size),
      basin.used === null ? '' : `${formatShare(basin.used, basin.size)} used`,
      `starts at ${formatMib(basin.extent.first * disk.sectorSize)}`,
    ]
      .filter(Boolean)
      .join(', ');

  let drawing: SVGSVGElement;

  function press(event: KeyboardEvent): void {
    const direction = DIRECTIONS[event.key];
    if (!direction || !current) return;
    event.preventDefault();
    const next = walk(chart.strips, current, direction);
    const basin = chart.strips[next.strip]?.basins.find((candidate) => candidate.key === next.key);
    if (!basin) return;
    onselect(next, basin);
    drawing.querySelector<SVGGElement>(`[data-spot="${next.strip}-${next.key}"]`)?.focus();
  }
</script>

<div class="chart" style:height="{chart.height + 8}px">
  <Moments
    {disk}
    {steps}
    {tops}
    label="Steps of the route"
    pointed={pointedStep}
    onpoint={(index) => (pointedStep = index)}
  />

  <div class="scroll" bind:clientWidth={room}>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <svg
      bind:this={drawing}
      width={chart.width + 2 * PAD}
      height={chart.height + 2 * PAD}
      role="group"
      aria-label="Tide chart: the disk as found, after each step, and as left. Arrow keys move between partitions and moments."
      onkeydown={press}
    >
      <Patterns id={patterns} />
      <g transform="translate({PAD} {PAD})">
        {#each chart.bands as band (`${band.strip}-${band.key}`)}
          <path
            class="band"
            class:traced={traced === band.key}
            class:faded={traced !== null && traced !== band.key}
            d={band.path}
            fill="var(--{paintOf(band.from.partition!)}-line)"
          />
        {/each}
        {#each chart.strips as strip (strip.index)}
          {#each strip.basins as basin (basin.key)}
            {@const isSelected = selected?.strip === strip.index && selected.key === basin.key}
            <g
              role="button"
              tabindex={current?.strip === strip.index && current.key === basin.key ? 0 : -1}
              aria-label={says(basin, strip.index)}
              aria-pressed={isSelected}
              data-spot="{strip.index}-{basin.key}"
              onclick={() => onselect({ strip: strip.index, key: basin.key }, basin)}
              onfocus={() => onselect({ strip: strip.index, key: basin.key }, basin)}
              onkeydown={(event) => {
                if (event.key === 'Enter' || event.key === ' ')
                  onselect({ strip: strip.index, key: basin.key }, basin);
              }}
              onpointerenter={() => (pointed = basin.partition ? basin.key : null)}
              onpointerleave={() => (pointed = null)}
            >
              <BasinShape
                {basin}
                y={strip.y}
                height={chart.stripHeight}
                {patterns}
                heavy={isSelected || traced === basin.key}
                faded={traced !== null && basin.partition !== null && traced !== basin.key}
              />
              <BasinLabel {basin} y={strip.y} height={chart.stripHeight} />
            </g>
          {/each}
        {/each}
      </g>
    </svg>
  </div>

  <Costs {steps} {tops} />
</div>

<style>
  .chart {
    position: relative;
    display: grid;
    grid-template-columns: 10.5rem minmax(0, 1fr) 7rem;
  }
  .scroll {
    position: relative;
    overflow-x: auto;
    overflow-y: hidden;
  }
  svg {
    display: block;
  }
  svg [role='button'] {
    cursor: pointer;
  }
  svg [role='button']:focus {
    outline: none;
  }
  svg [role='button']:focus-visible {
    outline: 3px solid var(--focus);
    outline-offset: 1px;
    border-radius: 6px;
  }
  .band {
    opacity: 0.13;
    transition: opacity 120ms;
  }
  .band.traced {
    opacity: 0.42;
  }
  .band.faded {
    opacity: 0.05;
  }
</style>
