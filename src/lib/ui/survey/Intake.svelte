<script lang="ts">
  import { FileUpload } from '@skeletonlabs/skeleton-svelte';
  import type { Outcome } from '$core/problem';
  import type { ImageRead } from '$core/holdings';
  import { TEXT_WAY_NAMES, type ImageProgress } from '$core/survey';
  import { givenByImage, givenByTexts, type Given } from './given';
  import { MAX_FILES, openFile } from './openFile';
  import Working from './Working.svelte';

  export type ReadImage = (
    image: { file: File; beside: File[] },
    onprogress: (progress: ImageProgress) => void,
    signal: AbortSignal,
  ) => Promise<Outcome<ImageRead> | null>;

  interface Props {
    /** What the machine is called in a survey that does not say so itself. */
    machineName: string;
    /** Reads a disk image without sending it anywhere. */
    readImage: ReadImage;
    /** Takes over what was read; its form is not yet checked where it came as a document. */
    ongiven: (given: Given) => Promise<void>;
    /** What fills the volumes is of no use here without a survey. */
    surveyOnly?: boolean;
    /** A new try begins: what was said of an earlier one no longer counts. */
    ontry: () => void;
    compact?: boolean;
  }
  let { machineName, readImage, ongiven, surveyOnly = false, ontry, compact = false }: Props = $props();

  const waysText = new Intl.ListFormat('en', { type: 'disjunction' }).format([...TEXT_WAY_NAMES].reverse());

  let progress = $state<ImageProgress | null>(null);
  let message = $state('');
  let reading = $state('');
  let pasted = $state('');
  let stop: AbortController | null = null;

  async function take(files: readonly File[]): Promise<void> {
    if (files.length === 0) return;
    message = '';
    ontry();
    const opened = await openFile(files);
    if (opened.kind === 'image') await takeImage(opened);
    else if (opened.kind === 'texts') await takeTexts(opened.texts);
    else message = opened.message;
  }

  const takeTexts = (texts: Parameters<typeof givenByTexts>[0]): Promise<void> =>
    takeOutcome(givenByTexts(texts, { machineName, takenAt: new Date().toISOString() }));

  async function takeOutcome(outcome: Outcome<Given>): Promise<void> {
    if (!outcome.ok) message = outcome.problems.map((problem) => problem.message).join(' ');
    else if (surveyOnly && outcome.value.survey === undefined)
      message = 'That tells what fills the volumes. A survey of the disks is needed here.';
    else await ongiven(outcome.value);
  }

  async function paste(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    message = '';
    ontry();
    await takeTexts([{ text: pasted, called: 'The text' }]);
  }

  async function takeImage(image: { file: File; beside: File[] }): Promise<void> {
    reading = image.file.name;
    progress = { share: 0, what: 'the partition table' };
    stop = new AbortController();
    const outcome = await readImage(image, (now) => (progress = now), stop.signal);
    progress = null;
    if (outcome === null) message = 'Reading was stopped. Nothing was changed.';
    else await takeOutcome(outcome.ok ? { ok: true, value: givenByImage(outcome.value) } : outcome);
  }
</script>

<section aria-label="Give a survey" class:compact>
  {#if progress}
    <Working label="Reading {reading}: {progress.what}" share={progress.share}>
      <button type="button" class="btn btn-sm quiet" onclick={() => stop?.abort()}>Stop reading</button>
    </Working>
  {:else}
    <FileUpload maxFiles={MAX_FILES} acceptedFiles={[]} onFileAccept={({ files }) => void take(files)}>
      <!-- The button inside is the control; a control around it would be one too many. -->
      <FileUpload.Dropzone class="dropzone" role="group" tabindex={-1} aria-label="Drop a file here">
        <p><b>{compact ? 'Take a newer survey' : 'Drop a survey document or a disk image here'}</b></p>
        <p class="soft">
          {compact
            ? 'Drop a survey document or a disk image, or'
            : 'An image (raw, VHD, VHDX, qcow2 or VMDK) is read right here in the browser, it is not uploaded. Or'}
        </p>
        <FileUpload.Trigger class="btn btn-sm quiet">Choose a file</FileUpload.Trigger>
        <FileUpload.HiddenInput data-testid="survey-file" />
      </FileUpload.Dropzone>
    </FileUpload>
  {/if}
  {#if !progress}
    <details>
      <summary>Paste {waysText} as text</summary>
      <form onsubmit={paste}>
        <textarea
          class="input figure"
          rows="5"
          bind:value={pasted}
          aria-label="Survey document as text"
          spellcheck="false"
        ></textarea>
        <button class="btn btn-sm quiet">Take this text</button>
      </form>
    </details>
  {/if}
  {#if message}<p role="alert" class="message">{message}</p>{/if}
</section>

<style>
  section :global(.dropzone) {
    display: grid;
    justify-items: center;
    gap: 0.5rem;
    padding: 3rem 1.5rem;
    text-align: center;
    border: 1.5px dashed var(--dry-line);
    border-radius: 0.75rem;
    background: none;
    color: var(--ink);
  }
  section :global(.dropzone[data-dragging]) {
    border-color: var(--accent);
    background: var(--windows-bed);
  }
  .compact :global(.dropzone) {
    display: flex;
    flex-flow: row wrap;
    justify-content: start;
    align-items: center;
    padding: 0.625rem 1rem;
    gap: 0.75rem;
  }
  details {
    margin-top: 0.625rem;
  }
  form {
    display: grid;
    gap: 0.625rem;
    justify-items: start;
    padding-top: 0.5rem;
  }
  textarea {
    font-size: 0.8125rem;
  }
  .message {
    margin-top: 0.75rem;
    padding: 0.75rem 1rem;
    border-left: 4px solid var(--error);
    background: var(--error-ground);
    border-radius: 0.375rem;
  }
</style>
