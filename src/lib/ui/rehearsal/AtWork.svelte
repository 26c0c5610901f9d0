<script lang="ts">
  import type { Rehearsal } from '$contract/rehearsals';
  import type { Disk } from '$core/disk';
  import type { Step } from '$core/steps';
  import { formatSize } from '$core/units';
  import { shareOf } from './arrival';
  import { describeProgress } from './told';

  /** What a rehearsal is at, and how far. */
  interface Props {
    disk: Disk;
    steps: readonly Step[];
    progress: Rehearsal['progress'];
    place: Rehearsal['place'];
    /** How it was stopped; '' while it goes on. */
    stopped: string;
  }
  let { disk, steps, progress, place, stopped }: Props = $props();
  const share = $derived(shareOf(progress));
</script>

<footer aria-label="What is at work">
  <div>
    <small
      >{progress.phase === 'carrying-out'
        ? `Step ${Math.min(steps.length, progress.step + 1)} of ${steps.length}`
        : 'Now'}{stopped ? `, ${stopped}` : ''}</small
    >
    <b>{describeProgress(disk, steps, { ...progress, place })}</b>
  </div>
  <div class="bar">
    <small
      >{progress.toArrive > 0
        ? `${stopped ? `${stopped} at ` : ''}${Math.round(100 * share)} %`
        : progress.arrived > 0 && progress.phase !== 'over'
          ? `${formatSize(progress.arrived)} read`
          : ''}&nbsp;</small
    >
    <progress max="1" value={progress.toArrive > 0 ? share : undefined} aria-label="How much of it is done"
    ></progress>
  </div>
  <div class="journal">
    <small>Journal</small>
    <span class="figure">{formatSize(progress.journal)} of 64 MiB</span>
  </div>
</footer>

<style>
  footer {
    display: grid;
    grid-template-columns: minmax(0, 1.2fr) minmax(0, 2fr) auto;
    gap: 1.5rem;
    align-items: end;
    padding: 0.75rem 1.25rem;
    background: var(--sheet);
    border-top: 1px solid var(--line);
  }
  footer small {
    display: block;
    font-size: 0.75rem;
    color: var(--ink-soft);
  }
  footer b {
    display: block;
  }
  .journal {
    text-align: right;
    white-space: nowrap;
  }
  progress {
    width: 100%;
    height: 0.625rem;
    appearance: none;
    border: 0;
    border-radius: 0.375rem;
    overflow: hidden;
    background: var(--windows-bed);
    accent-color: var(--accent);
  }
  progress::-webkit-progress-bar {
    background: var(--windows-bed);
  }
  progress::-webkit-progress-value {
    background: var(--accent);
  }
  progress::-moz-progress-bar {
    background: var(--accent);
  }
</style>
