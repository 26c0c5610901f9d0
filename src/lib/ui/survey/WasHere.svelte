<script lang="ts">
  import { formatShare, formatSize } from '$core/units';
  import { formatMonth } from '../target/dates';

  interface Props {
    /** Earlier jobs of the machine, the newest first; at least one. */
    before: readonly { number: number; takenAt: string }[];
    /** How full the target was at every survey, oldest first. */
    fillings: readonly { takenAt: string; size: number; used: number }[];
    /** What the target is called. */
    name: string;
  }
  let { before, fillings, name }: Props = $props();

  const [last] = $derived(before);
  const now = $derived(fillings.at(-1));
  /** The target as it was when the machine was here last. */
  const then = $derived(fillings.findLast((one) => one.takenAt <= last!.takenAt));
</script>

<p class="was" role="note">
  <b>This machine was here before</b>, in {formatMonth(Date.parse(last!.takenAt))}, as
  {#each before.slice(0, 5) as job, i (job.number)}{i > 0 ? ', ' : ''}<a href="/jobs/{job.number}/survey"
      >job {job.number}</a
    >{/each}.
  {#if then && now && then !== now}
    {name} had {formatSize(then.size)} then, {formatShare(then.used, then.size)} full; now it has {formatSize(
      now.size,
    )}, {formatShare(now.used, now.size)} full{now.size > then.size && now.used > 0.9 * now.size
      ? ': what it got was not enough'
      : ''}.
  {/if}
</p>

<style>
  .was {
    padding: 0.5rem 0.875rem;
    border-left: 4px solid var(--windows-line);
    background: var(--card);
    border-radius: 0.375rem;
  }
  a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
</style>
