<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { goto } from '$app/navigation';
  import Plus from '@lucide/svelte/icons/plus';
  import Redo2 from '@lucide/svelte/icons/redo-2';
  import Undo2 from '@lucide/svelte/icons/undo-2';
  import {
    addDisk,
    addPartition,
    begin,
    changeDisk,
    record,
    redo,
    removeDisk,
    startFrom,
    undo,
    type History,
    type StartingPoint,
  } from '$core/byHand';
  import { endOf } from '$core/disk';
  import { checkSurvey, machineOf, type SurveyDisk, type SurveyDocument } from '$core/survey';
  import { formatSize, GIB } from '$core/units';
  import ChoiceField from '$ui/byHand/ChoiceField.svelte';
  import DiskFields from '$ui/byHand/DiskFields.svelte';
  import PartitionFields from '$ui/byHand/PartitionFields.svelte';
  import TextField from '$ui/byHand/TextField.svelte';
  import DiskBasins from '$ui/chart/DiskBasins.svelte';
  import Refused from '$ui/Refused.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);

  const POINTS: [StartingPoint, string, string][] = [
    ['uefi', 'A newer machine', 'UEFI and GPT: EFI, reserved, Windows, recovery, data'],
    ['bios', 'An older machine', 'BIOS and MBR: system boot, Windows, data'],
    ['empty', 'An empty disk', 'Nothing on it yet'],
  ];

  let history = $state.raw<History<SurveyDocument> | null>(null);
  const draft = $derived(history?.now ?? null);
  const machine = $derived(draft && machineOf(draft));
  const problems = $derived(draft ? checkSurvey(draft) : []);
  const at = (path: string) =>
    problems.filter((one) => one.path === path || one.path.startsWith(`${path}/`)).map((one) => one.message);
  const onDisk = (index: number) =>
    problems.filter((one) => one.path.startsWith(`/disks/${index}`) && !one.path.includes('/partitions/'));
  const changed = $derived(history !== null && history.past.length > 0);

  let refusal = $state<Refusal | null>(null);
  let leaving = false;

  const become = (next: SurveyDocument): void => {
    if (history && next !== history.now) history = record(history, next);
  };
  const ondisk = (disk: SurveyDisk): void => become(changeDisk(draft!, disk.number, () => disk));

  function keys(event: KeyboardEvent): void {
    if (!history || !(event.ctrlKey || event.metaKey) || event.altKey) return;
    // While a field is being typed in, its own undo counts.
    if (event.target instanceof HTMLInputElement) return;
    const key = event.key.toLowerCase();
    if (key === 'z' && !event.shiftKey) history = undo(history);
    else if (key === 'y' || (key === 'z' && event.shiftKey)) history = redo(history);
    else return;
    event.preventDefault();
  }

  async function save(version = job.version): Promise<void> {
    const survey = { ...draft!, takenAt: new Date().toISOString() };
    const body = { version, source: 'hand' as const, survey };
    const reply = await call('PUT /jobs/{number}/survey', { number: job.number, body });
    refusal = reply.ok ? null : reply.refusal;
    leaving = reply.ok;
    if (reply.ok) await goto(`/jobs/${job.number}/survey`, { invalidateAll: true });
  }
</script>

<svelte:head><title>Survey by hand · {job.customer} · Gentle Tide</title></svelte:head>
<svelte:window
  onkeydown={keys}
  onbeforeunload={(event) => {
    if (changed && !leaving) event.preventDefault();
  }}
/>

<main class="page">
  {#if !history || !draft || !machine}
    <h1>Write down the disk by hand</h1>
    <p class="soft">Begin with what comes closest, then change it to what is really there.</p>
    <div class="points">
      {#each POINTS as [point, name, says] (point)}
        <button
          type="button"
          onclick={() =>
            (history = begin(startFrom(point, `${job.customer}, ${job.machine}`, new Date().toISOString())))}
        >
          <b>{name}</b><span class="soft">{says}</span>
        </button>
      {/each}
      {#if job.survey}
        <button type="button" onclick={() => (history = begin(job.survey!.document))}>
          <b>The present survey</b><span class="soft"
            >Correct what it says, or fill in what it could not tell</span
          >
        </button>
      {/if}
    </div>
    <a class="btn quiet back" href="/jobs/{job.number}/survey">Back to the survey</a>
  {:else}
    <div class="page-top">
      <div>
        <h1>Survey by hand</h1>
        <p class="soft">
          Sizes in any unit. Of start, end and size the two given last count; the third, dashed, follows.
        </p>
      </div>
      <div class="acts">
        <button
          type="button"
          class="btn quiet"
          disabled={history.past.length === 0}
          onclick={() => (history = undo(history!))}><Undo2 size={18} />Undo</button
        >
        <button
          type="button"
          class="btn quiet"
          disabled={history.future.length === 0}
          onclick={() => (history = redo(history!))}><Redo2 size={18} />Redo</button
        >
        <button type="button" class="btn action" disabled={problems.length > 0} onclick={() => save()}
          >Keep this survey</button
        >
      </div>
    </div>
    {#if refusal}<Refused {refusal} onoverwrite={(version) => save(version)} />{/if}
    {#if problems.length > 0}
      <p class="error" role="status">
        {problems.length === 1 ? 'One thing does' : `${problems.length} things do`} not fit yet; it can be kept
        once they do.
      </p>
    {/if}

    <div class="machine">
      <TextField
        label="Machine"
        value={draft.machine.name}
        ongive={(name) => name && become({ ...draft, machine: { ...draft.machine, name } })}
      />
      <ChoiceField
        label="Firmware"
        value={draft.machine.firmware}
        options={[
          ['uefi', 'UEFI'],
          ['bios', 'BIOS'],
        ]}
        onchoose={(firmware) => become({ ...draft, machine: { ...draft.machine, firmware } })}
      />
    </div>

    {#each draft.disks as disk, index (disk.number)}
      {@const seen = machine.disks.find((one) => one.number === disk.number)!}
      <section aria-label="Disk {disk.number}">
        <div class="disk">
          <h2>Disk {disk.number}</h2>
          {#if draft.disks.length > 1}
            <button
              type="button"
              class="btn btn-sm quiet"
              onclick={() => become(removeDisk(draft, disk.number))}>Take disk {disk.number} off</button
            >
          {/if}
        </div>
        <DiskFields {disk} {ondisk} />
        {#each onDisk(index) as problem, i (i)}<p class="error" role="alert">
            {problem.message}
          </p>{/each}
        <DiskBasins disk={seen} leastWidth={192} height={72}>
          {#snippet figures(basin)}
            {@const place = disk.partitions.findIndex((one) => one.number === basin.partition?.number)}
            {#if basin.partition && place >= 0}
              <PartitionFields
                {disk}
                partition={disk.partitions[place]!}
                role={basin.partition.role}
                problems={at(`/disks/${index}/partitions/${place}`)}
                {ondisk}
              />
            {:else}
              <div class="bed">
                <b>Unallocated</b>
                <span class="figure">{formatSize(basin.size)}</span>
                <button
                  type="button"
                  class="btn btn-sm quiet"
                  onclick={() =>
                    ondisk(
                      addPartition(
                        disk,
                        { first: basin.extent.first, sectors: endOf(basin.extent) - basin.extent.first },
                        'data',
                      ),
                    )}><Plus size={16} />Partition here</button
                >
              </div>
            {/if}
          {/snippet}
        </DiskBasins>
      </section>
    {/each}
    <button type="button" class="btn quiet back" onclick={() => become(addDisk(draft, 256 * GIB))}
      ><Plus size={18} />Another disk</button
    >
  {/if}
</main>

<style>
  .points {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(17rem, 1fr));
    gap: 1rem;
  }
  .points button {
    display: grid;
    gap: 0.375rem;
    text-align: left;
    padding: 1.25rem;
    border: 1px solid var(--line-strong);
    border-radius: 0.75rem;
    background: var(--card);
  }
  .points button:hover {
    border-color: var(--accent);
  }
  .back {
    justify-self: start;
  }
  .acts {
    display: flex;
    gap: 0.5rem;
  }
  .machine {
    display: grid;
    grid-template-columns: minmax(14rem, 28rem) 14rem;
    gap: 1rem;
    --name-width: 4rem;
  }
  section {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 0.75rem;
  }
  .disk {
    display: flex;
    align-items: center;
    gap: 1rem;
  }
  .bed {
    display: grid;
    gap: 0.375rem;
    justify-items: start;
    padding-left: 0.5rem;
  }
</style>
