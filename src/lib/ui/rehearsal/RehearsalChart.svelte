<script lang="ts">
  import type { Rehearsal } from '$contract/rehearsals';
  import Zap from '@lucide/svelte/icons/zap';
  import { drawFlow, heightOf, stripsOf, drawWater, type Basin } from '$core/chart';
  import type { Disk } from '$core/disk';
  import { unwrap } from '$core/problem';
  import { computeLayouts, type Step } from '$core/steps';
  import { formatSize } from '$core/units';
  import BandRow from '../chart/BandRow.svelte';
  import BasinLabel from '../chart/BasinLabel.svelte';
  import BasinShape from '../chart/BasinShape.svelte';
  import { describeBasin, nameMoment, PAD, STRIP_HEIGHT, makeTideOptions } from '../chart/measures';
  import Moments from '../chart/Moments.svelte';
  import Patterns from '../chart/Patterns.svelte';
  import { paintOf } from '../chart/roles';
  import { computeArrivedPart, goesRight, shareOf } from './arrival';

  /** A route as it happens: what is done is drawn full, what is at work fills, what is to come is pale. */
  interface Props {
    disk: Disk;
    steps: readonly Step[];
    now: Rehearsal | null;
  }
  let { disk, steps, now }: Props = $props();

  let room = $state(680);
  const layouts = $derived(unwrap(computeLayouts(disk, steps)));
  const options = $derived(makeTideOptions(disk, room, 'legible'));
  const strips = $derived(stripsOf(disk, layouts, options));
  const height = $derived(heightOf(strips, options));
  const patterns = $props.id();

  const progress = $derived(now?.progress ?? null);
  const carrying = $derived(progress?.phase === 'carrying-out');
  /** Steps that are done. */
  const done = $derived(
    !progress ? 0 : progress.phase === 'after' || progress.phase === 'over' ? steps.length : progress.step,
  );
  const share = $derived(progress && carrying ? shareOf(progress) : 0);
  const halted = $derived(now !== null && ['cut', 'paused'].includes(now.state));
  /** The step at work, if one is. */
  const at = $derived(carrying && done < steps.length && now?.state !== 'stepped-back' ? steps[done]! : null);
  const states = $derived(steps.map((_, i) => (i < done ? 'done' : at && i === done ? 'now' : 'next')));
  const moving = $derived(at && (at.verb === 'move' || at.verb === 'put-back') ? at : null);

  const basinIn = (index: number, number: number | null): Basin | undefined =>
    strips[index]?.basins.find((basin) => basin.partition?.number === number);
  const from = $derived(moving ? basinIn(done, moving.partition) : undefined);
  const to = $derived(moving ? basinIn(done + 1, moving.partition) : undefined);
  const toRight = $derived(moving ? goesRight(moving) : false);
  const filled = $derived(to ? computeArrivedPart(to, share, toRight) : null);
  const source = $derived(from ? computeArrivedPart(from, share, toRight) : null);
  const edge = $derived(filled && to ? (toRight ? filled.x : filled.x + filled.width) : 0);

  const seconds = (ms: number | undefined): string => (ms ? `${Math.max(1, Math.round(ms / 1000))} s` : '');
</script>

<div class="chart" style:height="{height + 8}px">
  <Moments
    {disk}
    {steps}
    tops={strips.map((strip) => strip.y)}
    label="Steps of the rehearsal"
    progress={states}
  />

  <div class="scroll" bind:clientWidth={room}>
    <svg
      width={options.width + 2 * PAD}
      height={height + 2 * PAD}
      role="img"
      aria-label="The stand-in as found, after each step, and as left. {done} of {steps.length} steps are done."
    >
      <Patterns id={patterns} />
      <g transform="translate({PAD} {PAD})">
        {#each strips.slice(1) as below, i (below.index)}
          <g opacity={i < done ? 1 : i === done && at ? 0.55 : 0.4}><BandRow above={strips[i]!} {below} /></g>
        {/each}
        {#if from && to && source && filled}
          <path
            d={drawFlow(source, filled, strips[done]!.y + STRIP_HEIGHT, strips[done + 1]!.y)}
            fill="var(--{paintOf(from.partition!)}-water)"
            opacity="0.5"
          />
        {/if}
        {#each strips as strip (strip.index)}
          {@const live = strip.index === done + 1 && moving !== null}
          <g opacity={strip.index <= done || live ? 1 : 0.38}>
            {#each strip.basins as basin (basin.key)}
              <g aria-label={describeBasin(basin, nameMoment(strip.index, steps.length), disk.sectorSize)}>
                {#if live && basin.key === to?.key}
                  {@const paint = paintOf(basin.partition!)}
                  {@const clip = `${patterns}-arrived`}
                  <clipPath id={clip}
                    ><rect x={filled!.x} y={strip.y} width={filled!.width} height={STRIP_HEIGHT} /></clipPath
                  >
                  <g clip-path="url(#{clip})">
                    <rect
                      x={basin.x}
                      y={strip.y}
                      width={basin.width}
                      height={STRIP_HEIGHT}
                      rx="6"
                      fill="var(--{paint}-bed)"
                    />
                    <path
                      d={drawWater(
                        { x: basin.x, y: strip.y, width: basin.width, height: STRIP_HEIGHT },
                        basin.level ?? 1,
                      )}
                      fill="var(--{paint}-water)"
                    />
                  </g>
                  <rect
                    x={basin.x}
                    y={strip.y}
                    width={basin.width}
                    height={STRIP_HEIGHT}
                    rx={Math.min(6, basin.width / 3)}
                    fill="none"
                    stroke="var(--{paint}-line)"
                    stroke-width="1.5"
                    stroke-dasharray="5 3"
                  />
                {:else}
                  <BasinShape {basin} y={strip.y} height={STRIP_HEIGHT} {patterns} />
                {/if}
                <BasinLabel {basin} y={strip.y} height={STRIP_HEIGHT} />
              </g>
            {/each}
          </g>
        {/each}
        {#if halted && filled}
          <g class="gone">
            <line
              x1={edge}
              x2={edge}
              y1={strips[done + 1]!.y - 16}
              y2={strips[done + 1]!.y + STRIP_HEIGHT + 8}
            />
            <g transform="translate({edge - 10} {strips[done + 1]!.y - 38})"
              ><Zap size={20} fill="currentColor" aria-hidden="true" /></g
            >
          </g>
        {/if}
      </g>
    </svg>
  </div>

  <ul aria-label="What each step has written">
    {#each steps as step, i (i)}
      {@const state = states[i]!}
      <li class="cost {state}" style:top="{strips[i + 1]!.y - 42}px">
        {#if state === 'now' && progress && progress.toArrive > 0}
          <span class="figure">{formatSize(progress.arrived)}</span>
          <small class:stopped={halted}
            >{halted ? 'stopped here' : `of ${formatSize(progress.toArrive)}`}</small
          >
        {:else}
          <span class="figure">{formatSize(step.bytesCopied)}</span>
          <small
            >{state === 'done'
              ? ['done', seconds(progress?.took[i])].filter(Boolean).join(', ')
              : state === 'now'
                ? 'at work'
                : 'to come'}</small
          >
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
  .scroll {
    overflow-x: auto;
    overflow-y: hidden;
  }
  svg {
    display: block;
  }
  li {
    position: absolute;
  }
  small {
    display: block;
    font-size: 0.75rem;
    color: var(--ink-soft);
    line-height: 1.2;
    overflow-wrap: anywhere;
  }
  .cost {
    right: 0;
    width: 6.5rem;
    font-size: 0.8438rem;
    line-height: 1.2;
  }
  .cost.next {
    color: var(--ink-soft);
  }
  .stopped {
    color: var(--exposed);
    font-weight: 600;
  }
  .gone {
    color: var(--exposed);
  }
  .gone line {
    stroke: var(--exposed);
    stroke-width: 2;
  }
</style>
