<script lang="ts">
  import { DAY, YEAR, type Growth } from '$core/forecast';
  import { formatSize, GIB } from '$core/units';
  import type { ApexOptions } from 'apexcharts';
  import Apex from '../Apex.svelte';
  import { formatMonth } from './dates';

  interface Props {
    surveys: readonly { at: number; value: number }[];
    growth: Growth;
    /** Milliseconds since 1970: when the survey was taken. */
    at: number;
    /** Bytes: in use once what goes first is gone, the size now, and the one that is asked for. */
    used: number;
    now: number;
    asked: number | null;
  }
  let { surveys, growth, at, used, now, asked }: Props = $props();

  /** As far as two years, or until what is asked for is full, up to five. */
  const years = $derived(
    Math.min(5, Math.max(2, growth.middle > 0 ? (1.2 * ((asked ?? now) - used)) / growth.middle : 2)),
  );
  const inGib = (bytes: number): number => Math.round((bytes / GIB) * 10) / 10;
  const until = (rate: number): [number, number][] => [
    [at, inGib(used)],
    [at + years * YEAR * DAY, inGib(Math.max(0, used + rate * years))],
  ];
  const line = (bytes: number, text: string, color: string) => ({
    y: inGib(bytes),
    borderColor: color,
    strokeDashArray: 0,
    label: {
      text,
      position: 'left',
      textAnchor: 'start' as const,
      borderWidth: 0,
      style: { background: 'transparent', color, fontSize: '12px' },
    },
  });
  const ranged = $derived(growth.by !== 'two' && growth.high > growth.low);
  const options = $derived<ApexOptions>({
    series: [
      { name: 'in use', data: surveys.map((one) => [one.at, inGib(one.value)] as [number, number]) },
      { name: 'likely', data: until(growth.middle) },
      ...(ranged
        ? [
            { name: 'at the most', data: until(growth.high) },
            { name: 'at the least', data: until(growth.low) },
          ]
        : []),
    ],
    colors: ['var(--accent)', 'var(--accent)', 'var(--exposed)', 'var(--ink-soft)'],
    stroke: { width: [2.5, 2.5, 1.5, 1.5], dashArray: [0, 6, 3, 3], curve: 'straight' },
    markers: { size: [4, 0, 0, 0] },
    legend: { show: true, position: 'top', horizontalAlign: 'left' },
    annotations: {
      yaxis: [
        line(now, `full as it is, ${formatSize(now)}`, 'var(--ink-soft)'),
        ...(asked === null ? [] : [line(asked, `full with ${formatSize(asked)}`, 'var(--good)')]),
      ],
    },
    xaxis: {
      type: 'datetime',
      labels: { formatter: (value: string) => formatMonth(Number(value)) },
      tickAmount: 6,
    },
    yaxis: {
      title: { text: 'In use, GiB' },
      decimalsInFloat: 0,
      min: (least: number) => Math.max(0, Math.floor(least / 20) * 20 - 20),
      max: Math.ceil((inGib(Math.max(now, asked ?? 0)) * 1.08) / 20) * 20,
    },
    grid: { borderColor: 'var(--line)' },
    tooltip: { shared: false, x: { formatter: (value: number) => formatMonth(value) } },
  });
</script>

<Apex {options} height={260} label="Space in use at each survey, and how it goes on" />
