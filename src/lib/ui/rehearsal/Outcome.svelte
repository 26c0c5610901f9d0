<script lang="ts">
  import type { ExecutionProof } from '$core/executor';
  import { formatSize } from '$core/units';

  /** What came of a rehearsal: the proof, in figures and sentences. */
  interface Props {
    proof: ExecutionProof;
    href: string;
    elsewhere: boolean;
    /** The image that it was carried out on; null for a stand-in. */
    file: string | null;
  }
  let { proof, href, elsewhere, file }: Props = $props();

  const files = $derived(
    proof.partitions.reduce((sum, one) => sum + (one.files?.before.files ?? 0), 0).toLocaleString('en-GB'),
  );
  const bad = $derived(proof.partitions.reduce((sum, one) => sum + (one.bad ?? 0), 0));
  const untouched = $derived(proof.partitions.filter((one) => one.untouched));
  const written = $derived(proof.steps.reduce((sum, one) => sum + one.written, 0));
  const promised = $derived(proof.steps.reduce((sum, one) => sum + one.promised, 0));
  const relocated = $derived(proof.steps.flatMap((one) => one.relocated ?? []));
  const sum = (of: 'files' | 'piecesBefore' | 'piecesAfter') =>
    relocated.reduce((all, one) => all + one[of], 0).toLocaleString('en-GB');
  const SHOWN = 8;
</script>

<section class="outcome is-{proof.verdict}" aria-label="What came of it">
  <h2>{proof.verdict === 'proved' ? 'Nothing was lost' : 'Not as it should be'}</h2>
  {#if elsewhere}
    <p><b>So says another bench;</b> it was not carried out here.</p>
  {/if}
  {#if proof.verdict === 'proved'}
    <p>
      {proof.extent === 'quick'
        ? 'Every partition lies where the route says. Every file that moved was read and is as it was. All other files are in their old place.'
        : 'Every partition lies where the route says, and every file is as it was.'}
    </p>
  {:else}
    <ul>
      {#each proof.differences.slice(0, SHOWN) as difference, i (i)}<li>{difference}</li>{/each}
      {#if proof.differences.length > SHOWN}<li>
          And {proof.differences.length - SHOWN} more, in the proof.
        </li>{/if}
    </ul>
  {/if}
</section>
<dl>
  {#if bad > 0}
    <dt>Bad clusters left alone</dt>
    <dd class="figure">{bad}</dd>
  {/if}
  <dt>Files as they were</dt>
  <dd class="figure">{files}</dd>
  <dt>Partitions left alone</dt>
  <dd class="figure">{untouched.filter((one) => one.same).length} of {untouched.length}</dd>
  <dt>The route said</dt>
  <dd class="figure">{formatSize(promised)}</dd>
  <dt>Really written</dt>
  <dd class="figure">{formatSize(written)}</dd>
  {#if relocated.length > 0}
    <dt>Files brought together</dt>
    <dd class="figure">{sum('files')}</dd>
    <dt>In pieces, before and now</dt>
    <dd class="figure">{sum('piecesBefore')}, {sum('piecesAfter')}</dd>
  {/if}
  <dt>Power cuts survived</dt>
  <dd class="figure">{proof.cuts}</dd>
</dl>
{#if proof.layout}
  <p class="soft small">
    Surveyed again by its bytes: {proof.layout.same} facts of the layout are as the route promised.
  </p>
{/if}
{#if file}
  <a class="btn action wide" href="/api/v1/images/{encodeURIComponent(file)}" download={file}
    >Download {file}</a
  >
{/if}
<a class="btn quiet wide" {href} download>The proof as a file</a>

<style>
  .outcome {
    border: 2px solid var(--good);
    border-radius: 0.625rem;
    background: var(--card);
    padding: 0.75rem 0.875rem;
    margin-bottom: 0.875rem;
    overflow-wrap: anywhere;
  }
  .outcome.is-differs {
    border-color: var(--error);
  }
  h2 {
    font-size: 1.0625rem;
    font-weight: 700;
    margin-bottom: 0.25rem;
  }
  .is-proved h2 {
    color: var(--good);
  }
  .is-differs h2 {
    color: var(--error);
  }
  li {
    margin-top: 0.375rem;
  }
  dl {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 0.375rem 0.75rem;
    margin-bottom: 0.875rem;
  }
  dd {
    text-align: right;
    white-space: nowrap;
  }
  .wide {
    width: 100%;
    /* A file may have a long name. */
    white-space: normal;
    overflow-wrap: anywhere;
  }
  .wide + .wide,
  .small + .wide {
    margin-top: 0.625rem;
  }
  .small {
    font-size: 0.875rem;
    margin-bottom: 0.625rem;
  }
</style>
