<script lang="ts">
  import type { EffortPoint, RoutesRequest } from '$core/planning';
  import { MIB, roundUp } from '$core/units';
  import Part from '$ui/Part.svelte';
  import EffortChart from './EffortChart.svelte';

  interface Props {
    /** What is asked, but for the size. */
    request: Omit<RoutesRequest, 'goal'>;
    partition: number;
    /** Bytes that the target has, can get at the most, and that lie right behind it. */
    now: number;
    most: number;
    inReach: number;
    /** The size that is asked for now, in bytes. */
    asked: number | null;
    /** The effort for each size; null where it was stopped. */
    workOut: (request: RoutesRequest, sizes: number[], stop: AbortSignal) => Promise<EffortPoint[] | null>;
    onchoose: (size: number) => void;
  }
  let { request, partition, now, most, inReach, asked, workOut, onchoose }: Props = $props();

  const POINTS = 24;
  /** Worked out beside the page, anew when something changes that it hangs on. */
  let effort = $state.raw<EffortPoint[] | null>(null);
  $effect(() => {
    effort = null;
    const question = { ...$state.snapshot(request), goal: { partition, max: true } };
    const sizes = Array.from({ length: POINTS }, (_, i) =>
      roundUp(now + ((most - now) * (i + 1)) / POINTS, MIB),
    );
    // Right up to what is in reach nothing is moved: that is the first break.
    const stops = inReach > 0 ? [now + inReach, now + inReach + 1] : [];
    const all = [...new Set([...sizes, ...stops].map((size) => Math.min(most, size)))]
      .map((size) => (size === most || size === now + inReach ? size : roundUp(size, MIB)))
      .filter((size) => size > now)
      .sort((a, b) => a - b);
    const stop = new AbortController();
    const soon = setTimeout(() => {
      void workOut(question, all, stop.signal).then((points) => {
        if (points) effort = points;
      });
    }, 400);
    return () => {
      clearTimeout(soon);
      stop.abort();
    };
  });
</script>

<section aria-label="Size against effort">
  <h2>
    Size against effort <span class="soft"
      >what the cheapest route copies; press a point to ask for its size</span
    >
  </h2>
  {#if effort}
    <Part what="the chart"><EffortChart points={effort} {asked} {onchoose} /></Part>
  {:else}<p class="soft waiting" role="status">Working it out …</p>{/if}
</section>

<style>
  .waiting {
    min-height: 15rem;
  }
</style>
