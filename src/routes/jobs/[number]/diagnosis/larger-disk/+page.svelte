<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { bytesOf, nameInSentence } from '$core/disk';
  import { countSectorsSold } from '$core/newDisk';
  import { moduleOf, stepPartition } from '$core/steps';
  import { formatSize } from '$core/units';
  import TwoStrips from '$ui/chart/TwoStrips.svelte';
  import { jobDisk } from '$ui/jobDisk';
  import DiskChoice from '$ui/newDisk/DiskChoice.svelte';
  import { listGoing, listLargerDisks, taskOfJob } from '$ui/newDisk/choices';
  import Refused from '$ui/Refused.svelte';
  import Compare from '$ui/route/Compare.svelte';
  import { kitNameIn, toolNameIn } from '$ui/workshop';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const { machine, disk, target } = $derived(jobDisk(job));
  const name = $derived(nameInSentence(target));
  const task = $derived(taskOfJob(job, data.workshop, machine));
  const disks = $derived(listLargerDisks(job, data.workshop, data.fillings, task));
  const toolName = $derived(toolNameIn(data.workshop));
  const kitName = $derived(kitNameIn(data.workshop));

  const possible = $derived(disks.candidates.filter(({ size }) => size !== null));
  /** What is connected, else the smallest that lasts. */
  let chosen = $state(
    untrack(
      () =>
        (possible.find(({ number }) => number !== null) ?? possible.find(({ enough }) => enough))?.id ?? '',
    ),
  );
  const candidate = $derived(possible.find(({ id }) => id === chosen) ?? possible[0] ?? null);
  const outcome = $derived(
    candidate &&
      listGoing(
        task,
        candidate,
        candidate.gb === null ? null : countSectorsSold(candidate.gb, disk.sectorSize),
      ),
  );
  const going = $derived(outcome?.ok ? outcome.value : null);
  const here = $derived(
    job.answer?.reached && job.goal && !job.goal.stale ? (job.answer.routes[job.chosen] ?? null) : null,
  );
  const compared = $derived(
    going
      ? [
          ...(here ? [{ route: here, kit: kitName(here.kit), index: 0 }] : []),
          { route: going.route, kit: kitName(going.route.kit), index: 1 },
        ]
      : [],
  );
  const pairs = $derived(
    going
      ? disk.partitions.map((before) => ({
          before,
          after: going.left.partitions.find(({ number }) => number === before.number) ?? null,
        }))
      : [],
  );

  let refusal = $state<Refusal | null>(null);
  async function make(version = job.version): Promise<void> {
    if (!going) return;
    const body = { name: `To disk ${going.drawing.onto}`, states: [going.drawing], position: 0 };
    const { number } = job;
    const drawn = await call('POST /jobs/{number}/drawings', { number, body });
    const made = drawn.ok
      ? await call('POST /jobs/{number}/sheets', { number, body: { version, drawing: drawn.value.id } })
      : drawn;
    refusal = made.ok ? null : made.refusal;
    if (made.ok) await goto(`/jobs/${job.number}/sheet`, { invalidateAll: true });
  }
</script>

<svelte:head><title>Larger disk · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page">
  <div class="page-top">
    <div>
      <h1>Move everything to a larger disk</h1>
      <p class="soft">
        {name} gets all the room that is left over there. The old disk is only read, and stays the way back.
        <a href="/jobs/{job.number}/diagnosis#other-ways">Other ways out</a>
      </p>
    </div>
    {#if candidate?.number != null && going}
      <button class="btn action" disabled={!job.goal} onclick={() => make()}>Make its work sheet</button>
    {/if}
  </div>
  {#if refusal}<Refused {refusal} onoverwrite={(version) => void make(version)} />{/if}
  {#if candidate?.number != null && !job.goal}
    <p class="note">
      A sheet is made beside a size that was asked for. <a href="/jobs/{job.number}/target"
        >Choose one first</a
      >
    </p>
  {:else if candidate && going && candidate.number === null}
    <p class="note">
      Once it is bought: connect it, survey the machine again, and make the sheet then, with its serial number
      and its exact size.
    </p>
  {/if}

  <DiskChoice
    {disks}
    {name}
    now={bytesOf(disk, target)}
    chosen={candidate?.id ?? ''}
    onchoose={(id) => (chosen = id)}
  />

  {#if going}
    <section aria-label="Before and afterwards">
      <TwoStrips
        before={disk}
        after={going.left}
        {pairs}
        names={['The old disk,\nas it stays', 'The new disk']}
      />
    </section>
    <div class="columns">
      <section aria-labelledby="steps-head">
        <h2 id="steps-head">The steps</h2>
        <ol>
          {#each going.route.steps as step, i (i)}
            <li>
              <b
                >{moduleOf(step.verb).line(
                  step,
                  going.left,
                  stepPartition(going.left, going.route.steps, step),
                )}</b
              >
              <span class="soft">{toolName(step.tool)}</span>
            </li>
          {/each}
        </ol>
      </section>
      <section aria-labelledby="compare-head">
        <h2 id="compare-head">{here ? 'Beside the route on the old disk' : 'What it takes'}</h2>
        {#if !here}
          <p class="soft">
            {job.goal
              ? `On the old disk ${formatSize(job.goal.size)} cannot be reached.`
              : `No size was asked for yet, so there is no route on the old disk to compare with.`}
          </p>
        {/if}
        <Compare {disk} {target} routes={compared} {toolName} shown={1} onshow={() => undefined} />
      </section>
    </div>
  {:else if outcome && !outcome.ok}
    <p class="note">{outcome.problems[0]!.message}</p>
  {/if}
</main>

<style>
  .page a:not(.btn) {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .note {
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--accent);
    background: var(--card);
    border-radius: 0.375rem;
  }
  .columns {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 1.5rem;
    align-items: start;
  }
  ol {
    list-style: decimal;
    padding-left: 1.25rem;
    display: grid;
    gap: 0.5rem;
  }
  li b {
    font-weight: 600;
    display: block;
  }
  li span {
    font-size: 0.875rem;
  }
  @media (max-width: 60rem) {
    .columns {
      grid-template-columns: 1fr;
    }
  }
</style>
