<script lang="ts">
  import { bandsBetween, type Band, type Strip } from '$core/chart';
  import { paintOf } from '../chart/roles';

  /** How the partitions flow from one strip to the next. */
  let { above, below, height }: { above: Strip; below: Strip; height: number } = $props();
  let before: Band[] = [];
  const bands = $derived((before = bandsBetween(above, below, height, undefined, before)));
</script>

{#each bands as band (band.key)}
  <path d={band.path} fill="var(--{paintOf(band.from.partition!)}-line)" />
{/each}

<style>
  path {
    opacity: 0.13;
    pointer-events: none;
  }
</style>
