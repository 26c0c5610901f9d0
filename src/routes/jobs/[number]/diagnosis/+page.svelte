<script lang="ts">
  import { SHIPPED_KITS } from '$core/tools';
  import { browser } from '$app/environment';
  import { goto } from '$app/navigation';
  import { diagnose } from '$core/diagnosis';
  import { isBeyondTable, type Basin } from '$core/chart';
  import { bytesOf, endOf, nameInSentence } from '$core/disk';
  import { formatSize } from '$core/units';
  import DiskBasins from '$ui/chart/DiskBasins.svelte';
  import PartitionFigures from '$ui/chart/PartitionFigures.svelte';
  import { KEEP_FREE_PERCENT } from '$ui/words';
  import Part from '$ui/Part.svelte';
  import FindingCard from '$ui/FindingCard.svelte';
  import OtherWays from '$ui/ways/OtherWays.svelte';
  import { drawSteps, otherWaysOf, makeTargetAddress } from '$ui/ways/otherWaysOf';
  import { jobDisk } from '$ui/jobDisk';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const here = $derived(jobDisk(job));
  /** The same that the target screen begins with. */
  const keep = $derived(job.goal?.keepFreePercent ?? KEEP_FREE_PERCENT);
  const diagnosis = $derived.by(() => {
    const outcome = diagnose({
      survey: job.survey!.document,
      ...job.target!,
      keepFree: { percent: keep },
    });
    if (!outcome.ok) throw new Error(outcome.problems[0]?.message);
    return outcome.value;
  });
  /** Findings that point at a partition other than the target are numbered in the picture. */
  const marked = $derived(
    diagnosis.findings.filter((finding) =>
      finding.partitions.some((number) => number !== here.target.number),
    ),
  );
  const markOf = (finding: (typeof marked)[number]) => {
    const at = marked.indexOf(finding);
    return at < 0 ? undefined : at + 1;
  };
  /** Worked out in the browser only: on a disk of very many partitions it takes seconds. */
  const other = $derived(browser ? otherWaysOf(job, data.workshop, keep) : null);
  let lit = $state<readonly number[]>([]);

  const marksAbove = (basin: Basin): number[] =>
    marked.flatMap((finding, i) =>
      basin.partition && finding.partitions.includes(basin.partition.number) ? [i + 1] : [],
    );
  function placeOf(bed: Basin): string {
    if (isBeyondTable(bed)) return 'not counted yet';
    const behind = bed.extent.first === endOf(here.target);
    return behind && diagnosis.inReach > 0 ? 'in reach' : 'out of reach';
  }
</script>

<svelte:head><title>Diagnosis · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page">
  <div class="page-top">
    <div>
      <h1>{diagnosis.headline}</h1>
      <p class="soft">{diagnosis.summary}</p>
    </div>
    <button class="btn action" onclick={() => goto(`/jobs/${job.number}/target`)}>Choose the size</button>
  </div>

  <Part what="the disk">
    <DiskBasins disk={here.disk} leastWidth={124} heavy={[here.target.number, ...lit]}>
      {#snippet above(basin)}
        {#if basin.partition?.number === here.target.number}
          <p class="way">
            {nameInSentence(here.target)} grows this way
            <svg width="56" height="14" viewBox="0 0 56 14" aria-hidden="true"
              ><path d="M0 7h48M42 1l7 6-7 6" fill="none" stroke="currentColor" stroke-width="2" /></svg
            >
          </p>
        {:else}
          <p class="marks">
            {#each marksAbove(basin) as mark, i (i)}<span class="number in-circle">{mark}</span>{/each}
            {#if !basin.partition}
              <span class="soft">{placeOf(basin)}</span>
            {/if}
          </p>
        {/if}
      {/snippet}
      {#snippet figures(basin)}<PartitionFigures {basin} disk={here.disk} />{/snippet}
    </DiskBasins>
  </Part>

  <section aria-label="Findings, from the target outwards">
    <div class="cards">
      {#each diagnosis.findings as finding, i (i)}
        <FindingCard
          {finding}
          mark={markOf(finding)}
          lit={finding.partitions.some((number) => lit.includes(number))}
          onlight={(on) => (lit = on ? finding.partitions : [])}
        />
      {/each}
    </div>
  </section>
  {#if other && other.ways.length > 0}
    <OtherWays
      job={job.number}
      disk={here.disk}
      target={here.target}
      ways={other.ways}
      found={other.found}
      asked={job.goal !== null}
      ondraw={async (name, steps) => {
        const made = await drawSteps(job.number, other.kit, name, steps);
        if (made.ok) await goto(`/jobs/${job.number}/drawing/${made.value.id}`);
        return made.ok ? '' : made.refusal.detail;
      }}
      onallow={(allows) => goto(makeTargetAddress(job.number, allows))}
    />
  {/if}
  {#if data.drawings.length > 0}
    <p class="most">
      Drawn so far:
      {#each data.drawings as one, i (one.id)}{i > 0 ? ', ' : ''}<a href="/jobs/{job.number}/drawing/{one.id}"
          >{one.name}</a
        >{/each}
    </p>
  {/if}
  <p class="most">
    The most that {nameInSentence(here.target)} can get, with {keep} % kept free in what gives room:
    {#each SHIPPED_KITS as kit, i (kit.id)}
      {i > 0 ? '; ' : ''}{kit.name}
      {#if (diagnosis.largest[kit.id] ?? 0) > bytesOf(here.disk, here.target)}<b class="figure"
          >{formatSize(diagnosis.largest[kit.id]!)}</b
        >{:else}no more than now{/if}
    {/each}
  </p>
</main>

<style>
  .way {
    display: flex;
    align-items: center;
    gap: 0.5rem;
    color: var(--accent-ink);
    font-weight: 650;
    white-space: nowrap;
    padding-bottom: 0.375rem;
  }
  .marks {
    display: flex;
    gap: 0.25rem;
    padding-bottom: 0.375rem;
    white-space: nowrap;
  }
  .most {
    color: var(--ink-soft);
  }
  .most a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .most b {
    color: var(--ink);
  }
</style>
