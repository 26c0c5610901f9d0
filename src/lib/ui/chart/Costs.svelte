<script lang="ts">
  import type { Step } from '$core/steps';
  import { formatDuration, formatSize } from '$core/units';

  /** What stands right of the strips of a tide chart: what each step copies, and how long that takes or is exposed. */
  let { steps, tops }: { steps: readonly Step[]; tops: readonly number[] } = $props();
</script>

<ul aria-hidden="true">
  {#each steps as step, i (i)}
    {#if tops[i + 1] !== undefined}
      <li style:top="{tops[i + 1]! - 42}px">
        <span class="figure">{formatSize(step.bytesCopied)}</span>
        {#if step.exposedBytes > 0}
          <small class="exposed">{formatDuration(step.exposedSeconds)} exposed</small>
        {:else}
          <small>{formatDuration(step.seconds)}</small>
        {/if}
      </li>
    {/if}
  {/each}
</ul>

<style>
  li {
    position: absolute;
    right: 0;
    width: 6.5rem;
    font-size: 0.8438rem;
    line-height: 1.2;
  }
  .figure {
    white-space: nowrap;
    letter-spacing: -0.03em;
  }
  small {
    display: block;
    font-size: 0.75rem;
    color: var(--ink-soft);
    white-space: nowrap;
  }
  .exposed {
    color: var(--exposed);
    font-weight: 600;
    letter-spacing: -0.01em;
  }
</style>
