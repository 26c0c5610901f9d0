<script lang="ts">
  import {
    firstSpot,
    tideChart,
    walk,
    type Basin,
    type Direction,
    type ScaleKind,
    type Spot,
  } from '$core/chart';
  import type { Disk } from '$core/disk';
  import type { Step } from '$core/planning';
  import { formatDuration, formatMib, formatShare, formatSize } from '$core/units';
  import BasinLabel from './BasinLabel.svelte';
  import BasinShape from './BasinShape.svelte';
  import Patterns from './Patterns.svelte';
  import { paintOf } from './roles';
  import { stepName } from './stepName';

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

  const KEYS: Record<string, Direction> = {
    ArrowLeft: 'left',
    ArrowRight: 'right',
    ArrowUp: 'up',
    ArrowDown: 'down',
    Home: 'start',
    End: 'end',
  };
  let drawing: SVGSVGElement;

  function press(event: KeyboardEvent): void {
    const direction = KEYS[event.key];
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
  <ol class="moments" aria-label="Steps of the route">
    {#each chart.strips as strip (strip.index)}
      {#if strip.index > 0}
        {@const step = steps[strip.index - 1]!}
        {@const name = stepName(step, disk)}
        <li
          class="step"
          class:pointed={pointedStep === strip.index - 1}
          style:top="{strip.y - 46}px"
          onpointerenter={() => (pointedStep = strip.index - 1)}
          onpointerleave={() => (pointedStep = null)}
          title={step.why}
        >
          <span class="number">{strip.index}</span>
          <span class="what"><b>{name.verb}</b><small>{name.object}</small></span>
          <span class="visually-hidden">
            Copies {formatSize(step.bytesCopied)}, takes {formatDuration(step.seconds)}, exposed {formatDuration(
              step.exposedSeconds,
            )}. {step.why}
          </span>
        </li>
      {/if}
      <li
        class="moment"
        class:end={strip.index === 0 || strip.index === steps.length}
        style:top="{strip.y + 19}px"
      >
        {strip.index === 0 || strip.index === steps.length ? moment(strip.index) : `after ${strip.index}`}
      </li>
    {/each}
  </ol>

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
          {@const basin = chart.strips[band.strip]!.basins.find((candidate) => candidate.key === band.key)!}
          <path
            class="band"
            class:traced={traced === band.key}
            class:faded={traced !== null && traced !== band.key}
            d={band.path}
            fill="var(--{paintOf(basin.partition!)}-line)"
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

  <ul class="costs" aria-hidden="true">
    {#each steps as step, i (i)}
      <li style:top="{chart.strips[i + 1]!.y - 42}px">
        <span class="figure">{formatSize(step.bytesCopied)}</span>
        {#if step.exposedBytes > 0}
          <small class="exposed">{formatDuration(step.exposedSeconds)} exposed</small>
        {:else}
          <small>{formatDuration(step.seconds)}</small>
        {/if}
      </li>
    {/each}
  </ul>
</div>

<style>
  .chart {
    position: relative;
    display: grid;
    grid-template-columns: 10.5rem minmax(0, 1fr) 7rem;
  }
  .moments li,
  .costs li {
    position: absolute;
  }
  .moment {
    left: 2.1rem;
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  .moment.end {
    left: 0;
    font-weight: 700;
    font-size: 0.9375rem;
    color: var(--ink);
  }
  .step {
    left: 0;
    width: 10.25rem;
    display: flex;
    align-items: center;
    gap: 0.5rem;
    height: 46px;
    border-radius: 0.5rem;
  }
  .number {
    flex: none;
    display: grid;
    place-items: center;
    width: 1.5rem;
    height: 1.5rem;
    border-radius: 50%;
    background: var(--ink);
    color: var(--paper);
    font-weight: 700;
    font-size: 0.8125rem;
  }
  .step.pointed .number {
    background: var(--accent);
    color: var(--on-accent);
  }
  .what {
    min-width: 0;
    line-height: 1.15;
  }
  small {
    display: block;
    font-size: 0.75rem;
    color: var(--ink-soft);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
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
  .costs li {
    right: 0;
    width: 6.5rem;
    font-size: 0.8438rem;
    line-height: 1.2;
  }
  .costs .figure {
    white-space: nowrap;
    letter-spacing: -0.03em;
  }
  .exposed {
    color: var(--exposed);
    font-weight: 600;
    letter-spacing: -0.01em;
  }
</style>
