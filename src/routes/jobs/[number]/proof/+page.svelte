<script lang="ts">
  import { call, type Refusal, type Reply } from '$contract/client';
  import type { Saved } from '$contract/shapes';
  import { invalidateAll } from '$app/navigation';
  import { compareSurveys, machineOf, type SurveyDocument } from '$core/survey';
  import { formatCount } from '$core/units';
  import type { FileProof } from '$core/proof';
  import { compareFiles } from '$lib/workers/files';
  import { readImage } from '$lib/workers/readImage';
  import type { Given } from '$ui/survey/given';
  import Part from '$ui/Part.svelte';
  import TwoStrips from '$ui/chart/TwoStrips.svelte';
  import Differences from '$ui/proof/Differences.svelte';
  import Files from '$ui/proof/Files.svelte';
  import FillChart from '$ui/proof/FillChart.svelte';
  import Verdict from '$ui/proof/Verdict.svelte';
  import Refused from '$ui/Refused.svelte';
  import Intake, { type ReadImage } from '$ui/survey/Intake.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const layout = $derived(data.proofs.layout?.proof ?? null);
  const files = $derived(data.proofs.files?.proof ?? null);
  const address = $derived({ number: job.number, id: data.sheet.id });
  const open = $derived(job.sheet ? job.sheet.items - job.sheet.done : 0);

  let refusal = $state<Refusal | null>(null);
  let again = $state<((version: number) => void) | undefined>();
  async function save(
    send: (version: number) => Promise<Reply<Saved>>,
    version = job.version,
  ): Promise<void> {
    const reply = await send(version);
    refusal = reply.ok ? null : reply.refusal;
    again = (current) => void save(send, current);
    if (reply.ok) await invalidateAll();
  }
  // The server checks what a person gives here, whatever it is.
  const saveLayout = ({ survey }: Given): Promise<void> =>
    save((version) =>
      call('POST /jobs/{number}/sheets/{id}/layout-proof', {
        ...address,
        body: { version, survey: survey as SurveyDocument },
      }),
    );
  const saveFiles = (proof: FileProof): Promise<void> =>
    save((version) =>
      call('POST /jobs/{number}/sheets/{id}/file-proof', { ...address, body: { version, proof } }),
    );
  const image: ReadImage = (image, onprogress, signal) =>
    readImage({ ...image, machineName: job.machine, takenAt: new Date().toISOString() }, onprogress, signal);

  /** The disk that was worked on, as found and as it is now. */
  const pair = $derived.by(() => {
    if (!data.after) return null;
    const { disks } = compareSurveys(data.before, data.after);
    const { disk, promise } = data.sheet.document;
    if (promise.from !== undefined) return movedTo(promise.from, disk.serial, promise.partitions);
    const one = disks.find((candidate) => candidate.before?.number === data.sheet.document.disk.number);
    return one?.before && one.after ? { before: one.before, after: one.after, pairs: one.partitions } : null;
  });
  /** Where everything went to another disk: the old one, and the new one as it is now. */
  function movedTo(old: number, serial: string, promised: readonly { number: number; first: number }[]) {
    const before = machineOf(data.before).disks.find(({ number }) => number === old);
    const after = machineOf(data.after!).disks.find((one) => one.serial === serial);
    if (!before || !after) return null;
    const pairs = promised.map(({ number, first }) => ({
      before: before.partitions.find((one) => one.number === number) ?? null,
      after: after.partitions.find((one) => one.first === first) ?? null,
    }));
    return { before, after, pairs };
  }
  const HEADLINE = {
    proved: 'Everything is where it was promised',
    open: 'Some points are not as promised',
    lost: 'Something is missing',
  };
</script>

<svelte:head><title>Proof · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page middle">
  <div class="page-top">
    <div>
      <h1>Is everything still there?</h1>
      <p class="soft">{data.sheet.document.title}</p>
    </div>
    {#if data.report}
      <a class="btn action" href="/api/v1/jobs/{job.number}/report.pdf" target="_blank"
        >Report for the customer</a
      >
    {/if}
  </div>
  {#if data.stale}<p class="notice" role="status">
      <b>The sheet of this proof is stale.</b>
      {data.stale}
    </p>{/if}
  {#if open > 0 && !data.stale}
    <p class="notice" role="status">
      {open === 1 ? 'One item' : `${open} items`} of the <a href="/jobs/{job.number}/sheet">work sheet</a>
      {open === 1 ? 'is' : 'are'} not ticked yet.
    </p>
  {/if}
  {#if refusal}<Refused {refusal} onoverwrite={again} />{/if}

  <section aria-label="The disk">
    <h2>The disk, against what the sheet promised</h2>
    {#if layout}
      <Verdict verdict={layout.verdict} headline={HEADLINE[layout.verdict]}>
        {formatCount(layout.same)} facts are as promised{layout.differences.length > 0
          ? `, ${layout.differences.length} differ`
          : ''}.
      </Verdict>
      <Differences differences={layout.differences} />
      {#if pair}
        <div class="strips">
          <Part what="the disk before and after">
            <TwoStrips
              before={pair.before}
              after={pair.after}
              pairs={pair.pairs}
              names={['As found', 'As left']}
            />
          </Part>
        </div>
      {/if}
    {:else}
      <p class="soft">
        Start Windows, run the collector once more and give its file here. Nothing is planned on this survey:
        it is only compared.
      </p>
    {/if}
    <Intake
      compact={layout !== null}
      machineName="{job.customer}, {job.machine}"
      readImage={image}
      ontry={() => (refusal = null)}
      surveyOnly
      ongiven={saveLayout}
    />
  </section>

  {#if layout}
    <section aria-label="Room before and after">
      <h2>Room before and after</h2>
      <FillChart volumes={layout.volumes} />
    </section>
  {/if}

  <section aria-label="The files" class="files">
    <h2>The files, one by one</h2>
    <p class="soft">
      The collector lists them with their hashes, before and after:
      <code class="figure"
        >powershell -ExecutionPolicy Bypass -File {data.collector.name} -Folders D:\ -Manifest after.txt</code
      >. Both lists are compared here in the browser; they are not sent anywhere.
    </p>
    <Files proof={files} disks={machineOf(data.before).disks} compare={compareFiles} onproof={saveFiles} />
  </section>

  {#if data.report}
    {@const report = data.report}
    <section aria-label="Report for the customer" class="report">
      <h2>What the customer reads</h2>
      <p class="headline">{report.headline}</p>
      {#each [['What was done', report.done], ['How we know that nothing was lost', report.proved], ['Still open', report.open], ['What we recommend', report.advice]] as const as [title, lines] (title)}
        {#if lines.length > 0}
          <h3>{title}</h3>
          <ul>
            {#each lines as line, i (i)}<li>{line}</li>{/each}
          </ul>
        {/if}
      {/each}
    </section>
  {/if}
</main>

<style>
  section {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 0.75rem;
  }
  .notice {
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--exposed);
    background: var(--card);
    border-radius: 0.375rem;
  }
  .notice a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .strips {
    padding: 0.5rem 0;
  }
  code {
    white-space: normal;
    overflow-wrap: anywhere;
    font-size: 0.8125rem;
  }
  .report {
    padding: 1.25rem 1.5rem;
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    background: var(--card);
    gap: 0.375rem;
  }
  .headline {
    font-size: 1.125rem;
    font-weight: 700;
  }
  h3 {
    font-weight: 650;
    margin-top: 0.5rem;
  }
  .report ul {
    list-style: disc;
    padding-left: 1.25rem;
  }
</style>
