<script lang="ts">
  import { call, type Refusal, type Reply } from '$contract/client';
  import type { Saved } from '$contract/shapes';
  import type { Body } from '$contract';
  import type { Holdings } from '$core/holdings';
  import { goto, invalidateAll } from '$app/navigation';
  import type { Basin } from '$core/chart';
  import { nameBasin, nameInSentence, type Disk, type Partition } from '$core/disk';
  import { machineOf, withWindowsNamed, type Place } from '$core/survey';
  import { readImage } from '$lib/workers/readImage';
  import DiskBasins from '$ui/chart/DiskBasins.svelte';
  import PartitionFigures from '$ui/chart/PartitionFigures.svelte';
  import HoldingsCard from '$ui/holdings/HoldingsCard.svelte';
  import Part from '$ui/Part.svelte';
  import Refused from '$ui/Refused.svelte';
  import ExactFigures from '$ui/survey/ExactFigures.svelte';
  import NameWindows from '$ui/survey/NameWindows.svelte';
  import HiddenList from '$ui/survey/HiddenList.svelte';
  import Intake, { type ReadImage } from '$ui/survey/Intake.svelte';
  import type { Given } from '$ui/survey/given';
  import ServerImages from '$ui/survey/ServerImages.svelte';
  import WasHere from '$ui/survey/WasHere.svelte';
  import WaysIn from '$ui/survey/WaysIn.svelte';
  import { nameSource, utc } from '$ui/survey/surveyLine';
  import { describeDisk } from '$ui/words';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const machine = $derived(job.survey && machineOf(job.survey.document));

  let refusal = $state<Refusal | null>(null);
  let again = $state<((version: number) => void) | undefined>();

  async function save(
    send: (version: number, number: number) => Promise<Reply<Saved>>,
    version = job.version,
  ): Promise<void> {
    const reply = await send(version, job.number);
    refusal = reply.ok ? null : reply.refusal;
    again = (current) => void save(send, current);
    if (reply.ok) await invalidateAll();
  }

  // The server checks what a person gives here, whatever it is.
  const give = ({ survey, ...given }: Given): Promise<void> =>
    save((version, number) =>
      survey === undefined
        ? call('PUT /jobs/{number}/holdings', {
            number,
            body: { version, holdings: given.holdings as Holdings },
          })
        : call('PUT /jobs/{number}/survey', {
            number,
            body: { version, survey, ...given } as Body<'PUT /jobs/{number}/survey'>,
          }),
    );
  const saveTarget = (disk: number, partition: number): Promise<void> =>
    save((version, number) =>
      call('PUT /jobs/{number}/target', { number, body: { version, disk, partition } }),
    );

  const machineName = $derived(`${job.customer}, ${job.machine}`);
  const image: ReadImage = (image, onprogress, signal) =>
    readImage({ ...image, machineName, takenAt: new Date().toISOString() }, onprogress, signal);
  const inDoubt = $derived((machine?.windowsInDoubt.length ?? 0) > 0);
  function nameWindows(place: Place | null): void {
    if (!job.survey || !machine) return;
    const survey = withWindowsNamed(job.survey.document, machine.windowsInDoubt, place);
    const { source } = job.survey;
    void save((version, number) =>
      call('PUT /jobs/{number}/survey', { number, body: { version, survey, source } }),
    );
  }
  const nameOf = ({ disk, partition }: { disk: number; partition: number }): string => {
    const found = machine?.disks
      .find(({ number }) => number === disk)
      ?.partitions.find(({ number }) => number === partition);
    return found ? nameInSentence(found) : `partition ${partition}`;
  };
  /** What is pointed at, whose exact figures stand at the foot. */
  let at = $state.raw<{ disk: Disk; basin: Basin } | null>(null);
  const isTarget = (disk: number, partition: Partition): boolean =>
    job.target?.disk === disk && job.target.partition === partition.number;
  const canBeTarget = (partition: Partition): boolean =>
    (partition.role === 'windows' || partition.role === 'data') &&
    partition.kind !== 'extended' &&
    partition.volume !== null;
</script>

<svelte:head><title>Survey · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page">
  {#if job.survey && machine}
    <div class="page-top">
      <div>
        <h1>What is on {machine.disks.length === 1 ? 'the disk' : `the ${machine.disks.length} disks`}</h1>
        <p class="soft">
          As found · surveyed {utc(job.survey.document.takenAt)} UTC, {job.survey.image
            ? `from ${job.survey.image} on the server`
            : nameSource(job.survey.source)} · {machine.name}
        </p>
        <p class="links">
          {#if data.surveys.length > 1}
            <a href="/jobs/{job.number}/survey/changes"
              >What changed since the one before ({data.surveys.length} surveys)</a
            >
          {/if}
          <a href="/jobs/{job.number}/survey/by-hand">Correct it by hand</a>
          <a href="/api/v1/jobs/{job.number}/survey" download="survey-{job.number}.json"
            >Download the document</a
          >
          <a href="/api/v1/jobs/{job.number}/survey.csv" download="survey-{job.number}.csv">Download as CSV</a
          >
        </p>
      </div>
      <div class="next">
        <a class="btn quiet" href="/jobs/{job.number}/survey/holdings">What fills it</a>
        <button
          class="btn action"
          disabled={!job.target || inDoubt}
          title={inDoubt ? 'Name the Windows volume first' : undefined}
          onclick={() => goto(`/jobs/${job.number}/diagnosis`)}>See the diagnosis</button
        >
      </div>
    </div>
    {#if refusal}<Refused {refusal} onoverwrite={again} />{/if}
    {#if data.before.length > 0 && job.target}
      <WasHere before={data.before} fillings={data.fillings} name={nameOf(job.target)} />
    {/if}
    {#if inDoubt}<NameWindows {machine} onname={nameWindows} />{/if}

    {#each machine.disks as disk (disk.number)}
      <section aria-label="Disk {disk.number}">
        <h2>
          {describeDisk(disk)}{#if disk.model}<span class="soft">{` · ${disk.model}`}</span>{/if}
        </h2>
        {#if disk.partitions.length === 0}<p class="soft">This disk has no partitions.</p>{/if}
        <Part what="this disk">
          <DiskBasins
            {disk}
            leastWidth={134}
            heavy={job.target?.disk === disk.number ? [job.target.partition] : []}
            onpoint={(basin) => (at = { disk, basin })}
          >
            {#snippet figures(basin)}
              <PartitionFigures {basin} {disk} full onchoose={() => (at = { disk, basin })} />
              {#if basin.partition && canBeTarget(basin.partition)}
                {@const partition = basin.partition}
                <button
                  type="button"
                  class="choose"
                  aria-pressed={isTarget(disk.number, partition)}
                  aria-label="Grow {nameBasin(partition)}"
                  onclick={() => saveTarget(disk.number, partition.number)}
                >
                  {isTarget(disk.number, partition) ? 'Target' : 'Make target'}
                </button>
              {/if}
            {/snippet}
          </DiskBasins>
        </Part>
        <HiddenList {disk} />
      </section>
    {/each}

    <HoldingsCard number={job.number} holdings={job.holdings} {nameOf} />
    {#if machine.notes.length > 0}
      <section class="notes" aria-label="Notes of the survey">
        <h2>What the survey could not tell</h2>
        <ul>
          {#each machine.notes as note, i (i)}<li>{note}</li>{/each}
        </ul>
      </section>
    {/if}
    <Intake compact {machineName} readImage={image} ontry={() => (refusal = null)} ongiven={give} />
    <details>
      <summary
        >Other ways to a survey: an image on the server, the machine itself, a boot stick, by hand</summary
      >
      {@render serverImages()}
      <WaysIn job={job.number} collector={data.collector} />
    </details>
  {:else}
    <h1>This job needs a survey</h1>
    <p class="soft">
      A survey is the recorded state of the machine’s disks. Everything that follows is computed from it.
    </p>
    {#if refusal}<Refused {refusal} onoverwrite={again} />{/if}
    <Intake {machineName} readImage={image} ontry={() => (refusal = null)} ongiven={give} />
    {@render serverImages()}
    <WaysIn job={job.number} collector={data.collector} />
  {/if}
</main>
{#snippet serverImages()}
  <ServerImages
    {job}
    {...data.server}
    current={job.survey?.image ?? null}
    onchanged={() => invalidateAll()}
  />
{/snippet}
{#if machine}<ExactFigures {at} />{/if}

<style>
  .next {
    display: flex;
    gap: 0.75rem;
    flex-wrap: wrap;
    justify-content: end;
  }
  .links {
    display: flex;
    flex-wrap: wrap;
    gap: 0 1.25rem;
    font-size: 0.875rem;
  }
  .links a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .choose {
    margin: 0.5rem 0 0 0.625rem;
    padding: 0.125rem 0.625rem;
    border: 1px solid var(--line-strong);
    border-radius: 0.375rem;
    font-size: 0.8125rem;
    font-weight: 600;
    white-space: nowrap;
    color: var(--ink-soft);
  }
  .choose:hover {
    border-color: var(--accent);
    color: var(--ink);
  }
  .choose[aria-pressed='true'] {
    background: var(--accent);
    border-color: var(--accent);
    color: var(--on-accent);
  }
  summary {
    margin-bottom: 0.75rem;
  }
  .notes ul {
    list-style: disc;
    padding-left: 1.25rem;
    color: var(--ink-soft);
  }
</style>
