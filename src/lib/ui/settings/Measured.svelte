<script lang="ts">
  import type { Rates } from '$core/tools';
  import type { ApexOptions } from 'apexcharts';
  import type { Media } from '$core/disk';
  import type { MeasuredRate, MeasuredRun } from '$core/proof';
  import Apex from '../Apex.svelte';
  import { MEDIA_NAME } from '../words';

  interface Props {
    runs: readonly MeasuredRun[];
    measured: readonly MeasuredRate[];
    rates: Rates;
    /** Takes a medium's measured middle half as its rate. */
    onuse: (media: Media, low: number, high: number) => void;
  }
  let { runs, measured, rates, onuse }: Props = $props();

  const one = (value: number): string => (value >= 100 ? String(Math.round(value)) : value.toFixed(1));
  const rounded = (value: number): number => Math.max(1, Math.round(value));
  /** Below this, a spread says little. */
  const ENOUGH = 3;
  const minutes = (seconds: number): number => Math.round(seconds / 6) / 10;
  const options = $derived<ApexOptions>({
    series: [
      {
        name: 'estimate',
        type: 'rangeBar',
        data: runs.map((run) => ({
          x: label(run),
          y: [minutes(run.estimate.low), minutes(run.estimate.high)],
        })),
      },
    ],
    chart: { type: 'rangeBar' },
    plotOptions: { bar: { horizontal: true, barHeight: '45%' } },
    colors: ['var(--windows-line)'],
    annotations: {
      points: runs.map((run) => ({
        x: minutes(run.seconds),
        y: label(run) as unknown as number,
        marker: { size: 6, fillColor: 'var(--exposed)', strokeColor: 'var(--card)' },
      })),
    },
    grid: { borderColor: 'var(--line)' },
    xaxis: {
      // Its bars lie on their side, where only the labels' own format counts.
      labels: { formatter: (value: string) => Number(value).toFixed(1) },
      title: { text: 'Minutes: the bar is the estimate, the point what it took' },
      min: 0,
    },
    yaxis: { labels: { maxWidth: 280 } },
    tooltip: { enabled: false },
  });
  const label = (run: MeasuredRun): string => `${run.job}: ${run.title}`.slice(0, 42);
</script>

<section aria-label="Measured here">
  <h2>Measured at this bench</h2>
  {#if runs.length === 0}
    <p class="soft">
      Nothing yet. Where a work sheet’s clock ran while at least 256 MiB were copied, the rate is counted
      here.
    </p>
  {:else}
    <ul class="rates">
      {#each measured as rate (rate.media)}
        <li>
          <b>{MEDIA_NAME[rate.media]}</b>
          <p>
            median <span class="figure">{one(rate.median)} MiB/s</span>, middle half
            <span class="figure">{one(rate.low)}–{one(rate.high)}</span>, {rate.count}
            {rate.count === 1 ? 'run' : 'runs'}
          </p>
          <p class="soft">
            estimates use {rates.copying[rate.media].low}–{rates.copying[rate.media].high} MiB/s
          </p>
          <button
            type="button"
            class="btn btn-sm quiet"
            disabled={rounded(rate.low) === rates.copying[rate.media].low &&
              rounded(rate.high) === rates.copying[rate.media].high}
            onclick={() => onuse(rate.media, rounded(rate.low), rounded(rate.high))}
            >Use {rounded(rate.low)}–{rounded(rate.high)} MiB/s from now on</button
          >
          {#if rate.count < ENOUGH}<p class="soft">So few runs say little yet.</p>{/if}
        </li>
      {/each}
    </ul>
    <Apex
      {options}
      height={110 + 34 * runs.length}
      label="Estimate against what it took, a row for every measured run"
    />
  {/if}
</section>

<style>
  .rates {
    display: flex;
    flex-wrap: wrap;
    gap: 1rem 2rem;
  }
  li {
    display: grid;
    justify-items: start;
    gap: 0.25rem;
    border-left: 3px solid var(--line-strong);
    padding-left: 0.875rem;
  }
</style>
