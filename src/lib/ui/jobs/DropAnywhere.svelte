<script lang="ts">
  import { goto } from '$app/navigation';
  import type { Outcome } from '$core/problem';
  import type { ImageProgress } from '$core/survey';
  import type { ReadImage } from '../survey/Intake.svelte';
  import { givenByImage, givenByTexts, type Given } from '../survey/given';
  import { openFile } from '../survey/openFile';
  import { beginJob } from './beginJob';

  /** A survey or an image that is dropped anywhere on the page begins a job. */
  let { readImage }: { readImage: ReadImage } = $props();
  let over = $state(false);
  let reading = $state.raw<{ name: string; progress: ImageProgress; stop: AbortController } | null>(null);
  let message = $state('');

  const carriesFiles = (event: DragEvent): boolean => event.dataTransfer?.types.includes('Files') ?? false;

  function drag(event: DragEvent): void {
    if (!carriesFiles(event)) return;
    event.preventDefault();
    over = true;
  }

  async function drop(event: DragEvent): Promise<void> {
    if (!carriesFiles(event)) return;
    event.preventDefault();
    over = false;
    const files = [...(event.dataTransfer?.files ?? [])];
    if (files.length > 0 && !reading) await take(files);
  }

  async function take(files: readonly File[]): Promise<void> {
    message = '';
    const opened = await openFile(files);
    if (opened.kind === 'refused') {
      message = opened.message;
      return;
    }
    const machineName = files[0]!.name.replace(/\.[^.]+$/, '');
    const takenAt = new Date().toISOString();
    const outcome =
      opened.kind === 'image'
        ? await takeImage(opened)
        : givenByTexts(opened.texts, { machineName, takenAt });
    if (outcome === null) message = 'Reading was stopped. No job was begun.';
    else if (!outcome.ok) message = outcome.problems.map((problem) => problem.message).join(' ');
    else {
      const begun = await beginJob(outcome.value);
      if ('number' in begun) await goto(`/jobs/${begun.number}/survey`);
      else message = `No job was begun: ${begun.message}`;
    }
  }

  async function takeImage(image: Parameters<ReadImage>[0]): Promise<Outcome<Given> | null> {
    const stop = new AbortController();
    const show = (progress: ImageProgress) => (reading = { name: image.file.name, progress, stop });
    show({ share: 0, what: 'the partition table' });
    const outcome = await readImage(image, show, stop.signal);
    reading = null;
    return outcome?.ok ? { ok: true, value: givenByImage(outcome.value) } : outcome;
  }
</script>

<svelte:window
  ondragover={drag}
  ondragleave={(event) => !event.relatedTarget && (over = false)}
  ondrop={drop}
/>

{#if over}<div class="over" aria-hidden="true"><p>Let go: this begins a job</p></div>{/if}
{#if reading}
  <p role="status" class="note">
    <progress aria-label="Reading" value={reading.progress.share}></progress>
    Reading “{reading.name}”: {reading.progress.what}
    <button type="button" class="btn btn-sm quiet" onclick={() => reading?.stop.abort()}>Stop reading</button>
  </p>
{/if}
{#if message}<p role="alert" class="note refused">{message}</p>{/if}

<style>
  .over {
    position: fixed;
    inset: 0;
    z-index: 5;
    display: grid;
    place-items: center;
    outline: 2px dashed var(--accent);
    outline-offset: -0.75rem;
    background: color-mix(in srgb, var(--paper) 82%, transparent);
    pointer-events: none;
  }
  .over p {
    padding: 1.5rem 3rem;
    border-radius: 0.75rem;
    background: var(--accent);
    color: var(--paper);
    font-size: 1.5rem;
    font-weight: 650;
  }
  .note {
    display: flex;
    align-items: center;
    gap: 0.75rem;
    margin-bottom: 0.75rem;
    padding: 0.625rem 1rem;
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    background: var(--card);
  }
  .refused {
    border: 0;
    border-left: 4px solid var(--error);
    background: var(--error-ground);
  }
</style>
