<script lang="ts">
  import type { ApexOptions } from 'apexcharts';
  import type { LayoutProof } from '$core/proof';
  import { GIB } from '$core/units';
  import Apex from '../Apex.svelte';

  /** Size, used and free of every volume, before and after. */
  let { volumes }: { volumes: LayoutProof['volumes'] } = $props();

  const inGib = (bytes: number): number => Math.round((bytes / GIB) * 10) / 10;
  const rows = $derived(
    volumes.flatMap(({ name, before, after }) => [
      { label: `${name} before`, fill: before },
      { label: `${name} after`, fill: after },
    ]),
  );
  const options = $derived<ApexOptions>({
    series: [
      { name: 'in use', data: rows.map(({ fill }) => (fill?.used == null ? 0 : inGib(fill.used))) },
      {
        name: 'free',
        data: rows.map(({ fill }) => (fill?.used == null ? 0 : inGib(fill.size - fill.used))),
      },
      {
        name: 'not known',
        data: rows.map(({ fill }) => (fill && fill.used === null ? inGib(fill.size) : 0)),
      },
    ],
    chart: { type: 'bar', stacked: true },
    plotOptions: { bar: { horizontal: true, barHeight: '70%' } },
    colors: ['var(--windows-water)', 'var(--windows-bed)', 'var(--reserved-water)'],
    stroke: { width: 1, colors: ['var(--windows-line)'] },
    dataLabels: { enabled: false },
    grid: { borderColor: 'var(--line)' },
    legend: { position: 'top', horizontalAlign: 'left' },
    xaxis: { categories: rows.map(({ label }) => label), title: { text: 'GiB' } },
    yaxis: { labels: { maxWidth: 240 } },
    tooltip: { enabled: false },
  });
</script>

<Apex
  {options}
  height={100 + 26 * rows.length}
  label="Size, in use and free of every volume before and after"
/>
