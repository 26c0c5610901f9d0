<script lang="ts">
  import { copyTime, type Rates } from '$core/tools';
  import type { ApexOptions } from 'apexcharts';
  import type { Route } from '$core/planning';
  import type { Media } from '$core/disk';
  import Apex from '../Apex.svelte';

  interface Props {
    routes: readonly { route: Route; kit: string }[];
    media: Media;
    rates: Rates;
  }
  let { routes, media, rates }: Props = $props();

  /** The middle of each range, in minutes. */
  const middle = ({ low, high }: { low: number; high: number }): number => Math.round((low + high) / 12) / 10;
  const options = $derived<ApexOptions>({
    series: [
      { name: 'hands-on', data: routes.map(({ route }) => middle(route.totals.handsOnSeconds)) },
      {
        name: 'copying, exposed',
        data: routes.map(({ route }) => middle(copyTime(route.totals.exposedBytes, media, rates))),
      },
      {
        name: 'copying',
        data: routes.map(({ route }) =>
          middle(copyTime(route.totals.bytesCopied - route.totals.exposedBytes, media, rates)),
        ),
      },
      {
        name: 'restarts',
        data: routes.map(({ route }) =>
          middle({
            low: rates.restart.low * route.totals.restarts,
            high: rates.restart.high * route.totals.restarts,
          }),
        ),
      },
    ],
    chart: { type: 'bar', stacked: true },
    plotOptions: { bar: { horizontal: true, barHeight: '62%' } },
    colors: ['var(--recovery-line)', 'var(--exposed)', 'var(--windows-line)', 'var(--reserved-line)'],
    dataLabels: { enabled: false },
    grid: { borderColor: 'var(--line)' },
    legend: { position: 'top', horizontalAlign: 'left' },
    xaxis: {
      categories: routes.map(({ route, kit }) => [shortened(route.title), kit]),
      title: { text: 'Minutes, the middle of each range' },
    },
    yaxis: { labels: { maxWidth: 260 } },
    tooltip: { enabled: false },
  });
  const shortened = (title: string): string => (title.length > 38 ? `${title.slice(0, 36)} …` : title);
</script>

<Apex {options} height={90 + 46 * routes.length} label="Where the time of each route goes" />
