<script lang="ts">
  import type ApexCharts from 'apexcharts';
  import type { ApexOptions } from 'apexcharts';
  import { onMount } from 'svelte';

  interface Props {
    options: ApexOptions;
    /** What the figure shows, in a sentence. */
    label: string;
    height?: number;
  }
  let { options, label, height = 220 }: Props = $props();

  let place: HTMLDivElement;
  let chart = $state.raw<ApexCharts | null>(null);
  const ink = (): string => getComputedStyle(place).getPropertyValue('--ink-soft').trim();
  const common = (): ApexOptions => ({
    ...options,
    chart: {
      type: 'line',
      height,
      fontFamily: 'inherit',
      foreColor: ink(),
      background: 'transparent',
      animations: { enabled: false },
      toolbar: { show: false },
      zoom: { enabled: false },
      ...options.chart,
    },
  });

  onMount(() => {
    let gone = false;
    void import('apexcharts').then(({ default: Apex }) => {
      if (gone) return;
      const made = new Apex(place, common());
      void made.render();
      chart = made;
    });
    return () => {
      gone = true;
      chart?.destroy();
    };
  });
  $effect(() => {
    void options;
    void chart?.updateOptions(common(), true, false);
  });
</script>

<figure aria-label={label}><div bind:this={place} style:min-height="{height}px"></div></figure>
