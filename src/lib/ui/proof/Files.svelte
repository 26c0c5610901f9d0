<script lang="ts">
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import type { Disk } from '$core/disk';
  import type { Outcome } from '$core/problem';
  import type { FileProof, Paths } from '$core/proof';
  import { formatCount, formatSize } from '$core/units';
  import Verdict from './Verdict.svelte';

  interface Props {
    proof: FileProof | null;
    disks: Disk[];
    /** Compares two manifests; null where it was stopped. */
    compare: (
      asked: { before: File; after: File; disks: Disk[] },
      onprogress: (progress: { share: number; files: number }) => void,
      signal: AbortSignal,
    ) => Promise<Outcome<FileProof> | null>;
    onproof: (proof: FileProof) => Promise<void>;
  }
  let { proof, disks, compare, onproof }: Props = $props();

  let before = $state<FileList>();
  let after = $state<FileList>();
  let progress = $state<{ share: number; files: number } | null>(null);
  let message = $state('');
  let stop: AbortController | null = null;

  async function run(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const [first, second] = [before?.[0], after?.[0]];
    message =
      first && second
        ? ''
        : 'Choose both manifests: the one from before the work, and the one from after it.';
    if (!first || !second) return;
    stop = new AbortController();
    progress = { share: 0, files: 0 };
    const outcome = await compare(
      { before: first, after: second, disks: $state.snapshot(disks) as Disk[] },
      (now) => (progress = now),
      stop.signal,
    );
    progress = null;
    if (!outcome) message = 'Comparing was stopped. Nothing was kept of it.';
    else if (!outcome.ok) message = outcome.problems.map((one) => one.message).join(' ');
    else await onproof(outcome.value);
  }
  const HEADLINE = {
    proved: 'Every file is as it was',
    open: 'Some files are to be looked at',
    lost: 'Files are missing',
  };
</script>

{#snippet list(title: string, paths: Paths)}
  {#if paths.count > 0}
    <details>
      <summary>{formatCount(paths.count)} {title}</summary>
      <ul class="figure paths">
        {#each paths.named as path, i (i)}<li>{path}</li>{/each}
      </ul>
      {#if paths.count > paths.named.length}<p class="soft">The first {paths.named.length} are shown.</p>{/if}
    </details>
  {/if}
{/snippet}

{#if proof}
  <Verdict verdict={proof.verdict} headline={HEADLINE[proof.verdict]}>
    {formatCount(proof.same)} of {formatCount(proof.before.files)} files are the same bit for bit{proof.moved >
    0
      ? `, ${formatCount(proof.moved)} of them under another path`
      : ''} · {formatSize(proof.before.bytes)} in {proof.before.folders.join(', ')}
  </Verdict>
  {@render list('missing', proof.missing)}
  {@render list('changed', proof.changed)}
  {@render list('could not be read', proof.unreadable)}
  {@render list('new', proof.added)}
{/if}

{#if progress}
  <div class="reading">
    <Progress value={Math.round(progress.share * 100)} max={100}>
      <Progress.Label>Comparing: {formatCount(progress.files)} lines read</Progress.Label>
      <Progress.Track><Progress.Range /></Progress.Track>
    </Progress>
    <button type="button" class="btn btn-sm quiet" onclick={() => stop?.abort()}>Stop comparing</button>
  </div>
{:else}
  <form onsubmit={run}>
    <label
      ><span>Manifest from before the work</span><input
        type="file"
        class="input"
        bind:files={before}
      /></label
    >
    <label
      ><span>Manifest from after the work</span><input type="file" class="input" bind:files={after} /></label
    >
    <button class="btn quiet">Compare the files</button>
  </form>
{/if}
{#if message}<p role="alert" class="message">{message}</p>{/if}

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 0.75rem;
    align-items: end;
  }
  label {
    flex: 1 1 16rem;
  }
  label span {
    display: block;
    font-size: 0.875rem;
    font-weight: 600;
  }
  .reading {
    display: grid;
    gap: 0.75rem;
    justify-items: start;
  }
  .reading :global([data-scope='progress'][data-part='root']) {
    width: 100%;
  }
  .reading :global([data-part='range']) {
    background: var(--accent);
  }
  .paths {
    max-height: 14rem;
    overflow: auto;
    font-size: 0.8125rem;
    overflow-wrap: anywhere;
  }
  .message {
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--error);
    background: var(--error-ground);
    border-radius: 0.375rem;
  }
</style>
