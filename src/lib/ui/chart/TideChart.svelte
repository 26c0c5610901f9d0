<script lang="ts">
  import {
    DIRECTIONS,
    findFirstSpot,
    heightOf,
    stripsOf,
    walk,
    type Basin,
    type ScaleKind,
    type Spot,
  } from '$core/chart';
  import type { Disk } from '$core/disk';
  import { unwrap } from '$core/problem';
  import { computeLayouts, type Step } from '$core/steps';
  import BandRow from './BandRow.svelte';
  import Costs from './Costs.svelte';
  import Moments from './Moments.svelte';
  import { nameMoment, PAD, makeTideOptions } from './measures';
  import Patterns from './Patterns.svelte';
  import StripRow from './StripRow.svelte';

  interface Props {
    disk: Disk;
    steps: readonly Step[];
    scale: ScaleKind;
    /** Steps of the route whose chart stands beside this one: both have one axis. */
    beside?: readonly Step[];
    selected: Spot | null;
    onselect: (spot: Spot, basin: Basin) => void;
  }
  let { disk, steps, scale, beside = [], selected, onselect }: Props = $props();

  let room = $state(680);
  const layouts = $derived(unwrap(computeLayouts(disk, steps)));
  const options = $derived(makeTideOptions(disk, room, scale));
  const others = $derived(beside.length > 0 ? unwrap(computeLayouts(disk, beside)) : []);
  const strips = $derived(stripsOf(disk, layouts, options, others));
  const height = $derived(heightOf(strips, options));
  const tops = $derived(strips.map((strip) => strip.y));
  const patterns = $props.id();

  /** What is traced through all strips: a partition, or the partition of a step. */
  let pointed = $state<string | null>(null);
  let pointedStep = $state<number | null>(null);
  const stepKey = (index: number): string | null => {
    const step = steps[index];
    return step && step.partition !== null ? `p${step.partition}` : null;
  };
  const traced = $derived(pointed ?? (pointedStep === null ? null : stepKey(pointedStep)));
  const current = $derived(selected ?? findFirstSpot(strips));

  let drawing: SVGSVGElement;

  function press(event: KeyboardEvent): void {
    const direction = DIRECTIONS[event.key];
    if (!direction || !current) return;
    event.preventDefault();
    const next = walk(strips, current, direction);
    const basin = strips[next.strip]?.basins.find((candidate) => candidate.key === next.key);
    if (!basin) return;
    onselect(next, basin);
    drawing.querySelector<SVGGElement>(`[data-spot="${next.strip}-${next.key}"]`)?.focus();
  }
</script>

<div class="chart" style:height="{height + 8}px">
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
      width={options.width + 2 * PAD}
      height={height + 2 * PAD}
      role="group"
      aria-label="Tide chart: the disk as found, after each step, and as left. Arrow keys move between partitions and moments."
      onkeydown={press}
    >
      <Patterns id={patterns} />
      <g transform="translate({PAD} {PAD})">
        {#each strips.slice(1) as below, i (below.index)}
          <BandRow above={strips[i]!} {below} {traced} />
        {/each}
        {#each strips as strip (strip.index)}
          <StripRow
            basins={strip.basins}
            index={strip.index}
            y={strip.y}
            {patterns}
            moment={nameMoment(strip.index, steps.length)}
            sectorSize={disk.sectorSize}
            chosen={selected?.strip === strip.index ? selected.key : null}
            current={current?.strip === strip.index ? current.key : null}
            marked={traced}
            fades={traced !== null}
            onchoose={(index, basin) => onselect({ strip: index, key: basin.key }, basin)}
            onpoint={(key) => (pointed = key)}
          />
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
</style>
