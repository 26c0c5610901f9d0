<script lang="ts">
  import type { ApexOptions } from 'apexcharts';
  import { breakPoints, type EffortPoint } from '$core/planning';
  import { formatSize, GIB } from '$core/units';
  import Apex from '../Apex.svelte';

  interface Props {
    points: readonly EffortPoint[];
    /** What is asked for at present, in bytes. */
    asked: number | null;
    onchoose: (size: number) => void;
  }
  let { points, asked, onchoose }: Props = $props();

  const reached = $derived(points.filter((point) => point.bytes !== null));
  const breaks = $derived(breakPoints(reached));
  const inGib = (bytes: number): number => Math.round((bytes / GIB) * 100) / 100;
  const options = $derived<ApexOptions>({
    series: [{ name: 'copied', data: reached.map(({ size, bytes }) => [inGib(size), inGib(bytes!)]) }],
    chart: {
      type: 'line',
      events: {
        click: (_event, _chart, at) => {
          const point = reached[at?.dataPointIndex ?? -1];
          if (point) onchoose(point.size);
        },
      },
    },
    colors: ['var(--accent)'],
    stroke: { curve: 'stepline', width: 2.5 },
    markers: {
      size: 4,
      discrete: breaks.map((point) => ({
        seriesIndex: 0,
        dataPointIndex: reached.indexOf(point),
        fillColor: 'var(--exposed)',
        strokeColor: 'var(--card)',
        size: 7,
      })),
    },
    annotations: asked === null ? {} : { xaxis: [{ x: inGib(asked), borderColor: 'var(--ink-soft)' }] },
    xaxis: { type: 'numeric', title: { text: 'New total, GiB' }, decimalsInFloat: 0, tickAmount: 8 },
    yaxis: { title: { text: 'Copied, GiB' }, decimalsInFloat: 0, min: 0 },
    grid: { borderColor: 'var(--line)' },
    tooltip: {
      theme: 'light',
      custom: ({ dataPointIndex }: { dataPointIndex: number }) => {
        const point = reached[dataPointIndex];
        if (!point) return '';
        const box = document.createElement('div');
        box.style.padding = '0.5rem 0.75rem';
        box.textContent = `${formatSize(point.size)}: ${formatSize(point.bytes!)} copied. ${point.title}`;
        return box.outerHTML;
      },
    },
  });
</script>

<Apex {options} height={230} label="Bytes copied by the cheapest route for every size" />
{#if breaks.length > 0}
  <ul aria-label="Where the effort changes">
    {#each breaks as point, i (i)}
      <li>
        <button type="button" onclick={() => onchoose(point.size)}>Up to {formatSize(point.size)}</button>
        <span
          >{point.title}, {point.bytes === 0
            ? 'nothing is copied'
            : `${formatSize(point.bytes!)} copied`}</span
        >
      </li>
    {/each}
  </ul>
{/if}

<style>
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem 1.5rem;
    font-size: 0.875rem;
  }
  button {
    font-weight: 600;
    color: var(--accent-ink);
    text-decoration: underline;
  }
</style>
