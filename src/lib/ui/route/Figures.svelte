<script lang="ts">
  import { bytesOf, nameInSentence, type Disk } from '$core/disk';
  import type { Route } from '$core/planning';
  import { countUsedAsLeft } from '$core/steps';
  import { formatDuration, formatShare, formatSize } from '$core/units';
  import Term from '../Term.svelte';

  let { disk, route }: { disk: Disk; route: Route } = $props();
  const totals = $derived(route.totals);
  /** The target and every donor: what is free in them afterwards. */
  const freeAfterwards = $derived(
    disk.partitions.flatMap((partition) => {
      const left = route.asLeft.partitions.find((candidate) => candidate.number === partition.number);
      const used = countUsedAsLeft(disk, route.steps, partition);
      if (!left || used == null || left.sectors === partition.sectors) return [];
      const size = bytesOf(disk, left);
      return { name: nameInSentence(partition), free: size - used, size };
    }),
  );
</script>

<dl>
  <div>
    <dt>Data copied</dt>
    <dd class="figure">{formatSize(totals.bytesCopied)}</dd>
  </div>
  <div>
    <dt>Time on this drive</dt>
    <dd class="figure">{formatDuration(totals.seconds)}</dd>
  </div>
  <div>
    <dt>Hands-on, waiting</dt>
    <dd class="figure">
      {formatDuration(totals.handsOnSeconds)}, {formatDuration(totals.waitingSeconds)}
    </dd>
  </div>
  <div>
    <dt>Steps, restarts</dt>
    <dd class="figure">{totals.steps}, {totals.restarts}</dd>
  </div>
  {#if totals.handOvers > 0}
    <div>
      <dt>
        <Term word="Hand-overs"
          >The change from one tool to another within the route; the disk is read again there.</Term
        >
      </dt>
      <dd class="figure">{totals.handOvers}</dd>
    </div>
  {/if}
  <div>
    <dt>
      <Term word="Exposure">Time in which a power cut leaves a partition that only a resume can mend.</Term>
    </dt>
    <dd class="figure" class:exposed={totals.exposedBytes > 0}>{formatDuration(totals.exposedSeconds)}</dd>
  </div>
  <div>
    <dt><Term word="Stranded">Unallocated space that no partition will take up.</Term></dt>
    <dd class="figure">{formatSize(totals.stranded)}</dd>
  </div>
  {#each freeAfterwards as { name, free, size }, i (i)}
    <div>
      <dt>{name} free afterwards</dt>
      <dd class="figure">{formatSize(free)} · {formatShare(free, size)}</dd>
    </div>
  {/each}
  <div>
    <dt>Asks of you</dt>
    <dd>{{ plain: 'plain work', careful: 'care', demanding: 'much care' }[route.difficulty.grade]}</dd>
  </div>
</dl>
<p class="why">{route.difficulty.why}</p>
<p class="why">
  {#if route.noReturn}No way back from step {route.noReturn.step} on: {route.noReturn.why}{:else}Every step
    can be taken back.{/if}
</p>
{#if route.rehearsable !== undefined}
  <p class="why">
    {route.rehearsable
      ? 'It can be rehearsed on a stand-in disk first.'
      : `It can’t be rehearsed. ${route.notRehearsable}`}
  </p>
{/if}

<style>
  dl div {
    display: flex;
    justify-content: space-between;
    gap: 1rem;
    padding: 0.125rem 0;
  }
  dt {
    color: var(--ink-soft);
  }
  dd {
    white-space: nowrap;
    letter-spacing: -0.02em;
  }
  .exposed {
    color: var(--exposed);
    font-weight: 650;
  }
  .why {
    font-size: 0.8438rem;
    color: var(--ink-soft);
    padding-top: 0.375rem;
  }
</style>
