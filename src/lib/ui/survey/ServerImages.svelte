<script lang="ts">
  import type { Refusal } from '$contract/client';
  import type { ServerImage } from '$contract/images';
  import type { ImageProgress } from '$core/survey';
  import { formatSize } from '$core/units';
  import Refused from '../Refused.svelte';
  import Working from './Working.svelte';
  import { Sending, surveyOnServer } from './serverImages.svelte';

  interface Props {
    job: { number: number; version: number };
    folder: string;
    images: readonly ServerImage[];
    /** How many more there are than are listed. */
    more: number;
    /** The one that the job's survey was read from. */
    current: string | null;
    /** The job has another survey, or the folder another image. */
    onchanged: () => Promise<void>;
  }
  let { job, folder, images, more, current, onchanged }: Props = $props();

  let reading = $state('');
  let progress = $state<ImageProgress | null>(null);
  let refusal = $state<Refusal | null>(null);
  let message = $state('');
  let stop: AbortController | null = null;

  async function survey(image: string): Promise<void> {
    refusal = null;
    message = '';
    reading = image;
    progress = { share: 0, what: 'the partition table' };
    stop = new AbortController();
    const reply = await surveyOnServer(job, image, (now) => (progress = now), stop.signal);
    progress = null;
    if (reply === null) message = 'Reading was stopped. Nothing was changed.';
    else if (reply.ok) await onchanged();
    else refusal = reply.refusal;
  }

  const sending = new Sending(() => void onchanged());
  const KIND: Record<NonNullable<ServerImage['kind']>, string> = {
    raw: 'raw',
    vhd: 'VHD',
    vhdx: 'VHDX',
    qcow2: 'qcow2',
    vmdk: 'VMDK',
  };
</script>

<section aria-label="Images on the server">
  <h3>Disk images on the server</h3>
  <p class="soft">
    Of virtual machines, or taken of real disks: surveyed where they lie. A route can be carried out on a copy
    of one, or on the image itself. Put them into <span class="figure path">{folder}</span>, or send one up.
  </p>
  {#if images.length === 0}
    <p class="soft">There is none yet.</p>
  {:else}
    <ul>
      {#each images as image (image.name)}
        <li class:current={image.name === current}>
          <span class="name"
            ><b>{image.name}</b>{#if image.name === current}<small>this job’s survey</small>{/if}</span
          >
          <span class="figure facts"
            >{image.kind ? KIND[image.kind] : 'no disk is seen in it'} · {formatSize(image.whole.bytes)}{image
              .whole.room <
            image.whole.bytes * 0.95
              ? `, takes ${formatSize(image.whole.room)}`
              : ''}</span
          >
          <span class="acts">
            {#if image.job !== null}
              <a href="/jobs/{image.job}/rehearsal">Job {image.job} is at work on it</a>
            {:else}
              {#each [image.name, ...image.pieces] as file, i (file)}
                <a href="/api/v1/images/{encodeURIComponent(file)}" download={file}
                  >{i === 0 ? 'Download' : 'and its bytes'}</a
                >
              {/each}
              {#if image.kind}
                <button
                  type="button"
                  class="btn btn-sm quiet"
                  disabled={progress !== null}
                  aria-label="Survey {image.name}"
                  onclick={() => survey(image.name)}>Survey it</button
                >
              {/if}
            {/if}
          </span>
          {#if reading === image.name && (progress || refusal || message)}
            <div class="outcome">
              {#if refusal}<Refused {refusal} />{/if}
              {#if message}<p role="alert">{message}</p>{/if}
              {#if progress}
                <Working label="Reading {reading}: {progress.what}" share={progress.share}>
                  <button type="button" class="btn btn-sm quiet" onclick={() => stop?.abort()}
                    >Stop reading</button
                  >
                </Working>
              {/if}
            </div>
          {/if}
        </li>
      {/each}
    </ul>
    {#if more > 0}<p class="soft">And {more} more, which are not listed. Move some of them elsewhere.</p>{/if}
  {/if}
  {#if sending.file}
    <Working
      label="{sending.going ? 'Sending' : 'Stopped:'} {sending.file.name}, {formatSize(
        sending.received,
      )} of {formatSize(sending.file.size)}"
      share={sending.received / sending.file.size}
    >
      {#if sending.refusal}<Refused refusal={sending.refusal} />{/if}
      <p>
        {#if sending.going}
          <button type="button" class="btn btn-sm quiet" onclick={() => sending.stop()}>Stop sending</button>
        {:else}
          <button type="button" class="btn btn-sm action" onclick={() => sending.goOn()}>Go on sending</button
          >
          <button type="button" class="btn btn-sm quiet" onclick={() => sending.giveUp()}
            >Throw away what has arrived</button
          >
        {/if}
      </p>
    </Working>
  {:else}
    <p>
      <label class="btn btn-sm quiet send">
        Send one up
        <input
          type="file"
          class="sr-only"
          data-testid="image-file"
          onchange={({ currentTarget }) => {
            const file = currentTarget.files?.[0];
            if (file) void sending.send(file);
            currentTarget.value = '';
          }}
        />
      </label>
      <span class="soft">In pieces: a line that breaks costs nothing, the same file is gone on with.</span>
    </p>
  {/if}
</section>

<style>
  section {
    display: grid;
    gap: 0.625rem;
    margin-bottom: 1.25rem;
  }
  h3 {
    font-weight: 650;
    border-top: 2px solid var(--line-strong);
    padding-top: 0.75rem;
  }
  .path {
    overflow-wrap: anywhere;
  }
  ul {
    border: 1px solid var(--line);
    border-radius: 0.625rem;
    background: var(--card);
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1.4fr) minmax(0, 1fr) 17rem;
    gap: 0.25rem 1rem;
    align-items: center;
    padding: 0.5rem 0.875rem;
    min-height: 2.875rem;
  }
  li + li {
    border-top: 1px solid var(--line);
  }
  .current {
    background: var(--windows-bed);
  }
  .name {
    overflow-wrap: anywhere;
  }
  .name small {
    margin-left: 0.5rem;
    color: var(--ink-soft);
  }
  .facts {
    font-size: 0.8438rem;
    color: var(--ink-soft);
  }
  /* What becomes of reading an image stands at that image: the list may be long. */
  .outcome {
    grid-column: 1 / -1;
  }
  .acts {
    display: flex;
    gap: 0.875rem;
    align-items: center;
    justify-content: end;
    font-size: 0.875rem;
    white-space: nowrap;
  }
  .acts a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .send {
    cursor: pointer;
    margin-right: 0.5rem;
  }
  .send:focus-within {
    outline: 2px solid var(--accent);
    outline-offset: 2px;
  }
  @media (max-width: 60rem) {
    li {
      grid-template-columns: minmax(0, 1fr) auto;
    }
    .facts {
      grid-row: 2;
      grid-column: 1;
    }
    .acts {
      grid-row: 1 / span 2;
      grid-column: 2;
    }
  }
</style>
