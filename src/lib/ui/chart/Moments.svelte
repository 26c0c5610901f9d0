<script lang="ts">
  import type { Step } from '$core/steps';
  import type { Disk } from '$core/disk';
  import { formatDuration, formatSize } from '$core/units';
  import { FLOW } from './measures';
  import { stepName } from './stepName';

  type StepState = 'done' | 'now' | 'next';

  interface Props {
    disk: Disk;
    steps: readonly Step[];
    /** Where each strip begins, in pixels; one more than there are steps, at the most. */
    tops: readonly number[];
    label: string;
    /** Place of the step that is pointed at. */
    pointed?: number | null;
    onpoint?: (index: number | null) => void;
    /** How far each step is, where they are being carried out. */
    progress?: readonly StepState[];
  }
  let { disk, steps, tops, label, pointed = null, onpoint, progress }: Props = $props();

  const TOLD: Record<StepState, string> = { done: 'Done.', now: 'At work.', next: 'To come.' };

  const isEnd = (index: number): boolean => index === 0 || index === tops.length - 1;
  const moment = (index: number): string =>
    index === 0 ? 'As found' : isEnd(index) ? 'As left' : `after ${index}`;
</script>

<!-- What stands left of the strips of a tide chart: moments, and the steps between them. -->
<ol aria-label={label}>
  {#each tops as top, index (index)}
    {@const step = steps[index - 1]}
    {#if step}
      {@const name = stepName(step, disk, steps)}
      <li
        class="step {progress?.[index - 1] ?? ''}"
        aria-current={progress?.[index - 1] === 'now' ? 'step' : undefined}
        class:pointed={pointed === index - 1}
        style:top="{top - FLOW}px"
        onpointerenter={() => onpoint?.(index - 1)}
        onpointerleave={() => onpoint?.(null)}
        title={step.why}
      >
        <span class="number in-circle">{progress?.[index - 1] === 'done' ? '✓' : index}</span>
        <span class="what"><b>{name.verb}</b><small>{name.object}</small></span>
        <span class="visually-hidden">
          {progress ? TOLD[progress[index - 1]!] : ''} Copies {formatSize(step.bytesCopied)}, takes {formatDuration(
            step.seconds,
          )}, exposed {formatDuration(step.exposedSeconds)}. {step.why}
        </span>
      </li>
    {/if}
    <li
      class="moment"
      class:end={isEnd(index)}
      class:next={progress?.[index - 1] !== undefined && progress[index - 1] !== 'done'}
      style:top="{top + 19}px"
    >
      {moment(index)}
    </li>
  {/each}
</ol>

<style>
  li {
    position: absolute;
  }
  .moment {
    left: 2.1rem;
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  .moment.end {
    left: 0;
    font-weight: 700;
    font-size: 0.9375rem;
    color: var(--ink);
  }
  .moment.next {
    font-weight: 400;
    color: var(--ink-soft);
  }
  .step {
    left: 0;
    width: 10.25rem;
    display: flex;
    align-items: center;
    gap: 0.5rem;
    height: 46px;
    border-radius: 0.5rem;
  }
  .step.pointed .number {
    background: var(--accent);
    color: var(--on-accent);
  }
  .step.done .number {
    background: var(--good);
    color: var(--sheet);
  }
  .step.now .number {
    background: var(--exposed);
    color: var(--sheet);
  }
  .step.next .number {
    background: none;
    box-shadow: inset 0 0 0 1.5px var(--line-strong);
    color: var(--ink-soft);
  }
  .step.next b {
    font-weight: 400;
    color: var(--ink-soft);
  }
  .what {
    min-width: 0;
    line-height: 1.15;
  }
  small {
    display: block;
    font-size: 0.75rem;
    color: var(--ink-soft);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
</style>
