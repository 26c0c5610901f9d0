<script lang="ts">
  import { computeBands, type Band, type Strip } from '$core/chart';
  import { STRIP_HEIGHT } from './measures';
  import { paintOf } from './roles';

  /** How the partitions flow from one strip to the next; one of them may be traced. */
  interface Props {
    above: Strip;
    below: Strip;
    /** Key of what is traced; undefined where nothing can be. */
    traced?: string | null;
    /** The key below of a basin above; null where it is not there any more. */
    follow?: (key: string) => string | null;
  }
  let { above, below, traced, follow }: Props = $props();
  let before: Band[] = [];
  const bands = $derived((before = computeBands(above, below, STRIP_HEIGHT, follow, before)));
</script>

{#each bands as band (band.key)}
  <path
    class:traced={traced === band.key}
    class:faded={traced && traced !== band.key}
    class:traceable={traced !== undefined}
    d={band.path}
    fill="var(--{paintOf(band.from.partition!)}-line)"
  />
{/each}

<style>
  path {
    opacity: 0.13;
    pointer-events: none;
  }
  .traceable {
    transition: opacity 120ms;
  }
  .traced {
    opacity: 0.42;
  }
  .faded {
    opacity: 0.05;
  }
</style>
