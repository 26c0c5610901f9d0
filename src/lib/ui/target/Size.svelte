<script lang="ts">
  import { Slider } from '@skeletonlabs/skeleton-svelte';
  import { formatExactly, formatMib, formatShare, formatSize, GIB, MIB, roundDown } from '$core/units';

  interface Props {
    /** Bytes that the target has, has used, and can get at the least and at the most. */
    now: number;
    used: number | null;
    least: number;
    most: number;
    sectorSize: number;
    /** What is typed, and the new total in bytes that it comes to. */
    typed: { field: 'total' | 'added'; text: string };
    total: number | null;
    /** Why what is typed is no size; empty where it is one. */
    message: string;
    tooMuch: boolean;
    ontype: (typed: Props['typed']) => void;
    ontake: (size: number) => void;
  }
  let {
    now,
    used,
    least,
    most: exactMost,
    sectorSize,
    typed,
    total,
    message,
    tooMuch,
    ontype,
    ontake,
  }: Props = $props();

  /** The most that can be typed: whole MiB. */
  const most = $derived(Math.max(least, roundDown(exactMost, MIB)));

  const FIELDS = [
    ['total', 'New total', '200 GiB'],
    ['added', 'Amount added', '+80 GiB'],
  ] as const;

  /** One field is typed into; the other follows. */
  const text = (field: 'total' | 'added'): string => {
    if (typed.field === field) return typed.text;
    if (total === null) return '';
    return field === 'total' ? formatExactly(total) : `+${formatExactly(total - now)}`;
  };
  /** The slider rests on whole GiB where the range is wide, and on the exact ends. */
  function slide(bytes: number): void {
    const coarse = most - least > 20 * GIB ? roundDown(bytes, GIB) : bytes;
    ontake(bytes >= most ? most : Math.min(most, Math.max(least, coarse)));
  }
</script>

<div class="pair">
  {#each FIELDS as [field, label, example] (field)}
    <label>
      <span>{label}</span>
      <input
        class="input figure"
        value={text(field)}
        oninput={(event) => ontype({ field, text: event.currentTarget.value })}
        aria-invalid={message !== '' || tooMuch}
        aria-describedby="goal-says goal-limits"
        autocomplete="off"
        placeholder={example}
      />
    </label>
  {/each}
</div>
<p id="goal-says" class="says" class:error={message !== ''} aria-live="polite">
  {#if message}
    {message}
  {:else if total !== null && tooMuch}
    {formatSize(total)} is more than the most. You can ask all the same and see what stops it.
  {:else if total !== null}
    That is {formatSize(total)}, exactly <span class="figure">{formatMib(total, sectorSize)}</span>; {formatSize(
      total - now,
    )} more than now{#if used !== null}, {formatSize(total - used)} free ({formatShare(
        total - used,
        total,
      )}){/if}.
  {:else}
    A bare number means GiB, and GB is read as GiB. <span class="figure">40 %</span> asks for that share free.
  {/if}
</p>

{#if most > now}
  <div class="slide">
    <Slider
      value={[Math.round(Math.min(most, Math.max(least, total ?? now)) / MIB)]}
      min={Math.round(least / MIB)}
      max={Math.ceil(most / MIB)}
      step={1}
      onValueChange={({ value }) => slide((value[0] ?? 0) * MIB)}
      aria-label={['New total in MiB']}
    >
      <Slider.Control>
        <Slider.Track><Slider.Range /></Slider.Track>
        <Slider.Thumb index={0}><Slider.HiddenInput /></Slider.Thumb>
      </Slider.Control>
    </Slider>
  </div>
  <p id="goal-limits" class="limits">
    <span
      >least <b class="figure">{formatSize(least)}</b><br /><span class="figure soft"
        >{formatMib(least, sectorSize)}</span
      ></span
    >
    <button type="button" class="most" onclick={() => ontake(most)}
      >most <b class="figure">{formatSize(most)}</b><br /><span class="figure soft"
        >{formatMib(most, sectorSize)}</span
      ></button
    >
  </p>
{/if}

<style>
  .pair {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 1rem;
  }
  .pair label > span {
    display: block;
    font-weight: 600;
    margin-bottom: 0.25rem;
  }
  .pair .input {
    font-size: 1.125rem;
  }
  .says {
    min-height: 3rem;
    padding: 0.375rem 0 0.5rem;
    text-wrap: pretty;
    font-size: 0.875rem;
    color: var(--ink-soft);
  }
  .says.error {
    color: var(--error);
  }
  .limits {
    display: flex;
    justify-content: space-between;
    font-size: 0.875rem;
    padding: 0.5rem 0 0.875rem;
  }
  .most {
    text-align: right;
    line-height: inherit;
  }
  .most:hover {
    text-decoration: underline;
  }
  .slide :global([data-part='range']) {
    background: var(--accent);
  }
  .slide :global([data-scope='slider'][data-part='thumb']) {
    background: var(--accent);
    border-color: var(--card);
    width: 1.375rem;
    height: 1.375rem;
  }
  .slide :global([data-scope='slider'][data-part='track']) {
    background: var(--line);
  }
</style>
