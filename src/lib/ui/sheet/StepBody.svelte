<script lang="ts">
  import { formatCount, formatMib, formatSize } from '$core/units';
  import { drawStripPicture, type SheetStep } from '$core/worksheet';
  import ScriptBox from './ScriptBox.svelte';
  import Values from './Values.svelte';

  interface Props {
    step: SheetStep;
    sectorSize: number;
  }
  let { step, sectorSize }: Props = $props();

  // It is made of numbers, letters and our own words only.
  const strip = $derived(drawStripPicture(step.see.pieces, sectorSize, step.see.changed, 760, 40));
</script>

<div class="body">
  {#if step.partition}
    <p class="which">
      <b>{step.partition.name}</b>: {step.partition.place}, number {step.partition.number} in the survey,
      <span class="figure">{formatMib(step.partition.bytes, sectorSize)}</span>, starts at
      <span class="figure">{formatMib(step.partition.first * sectorSize, sectorSize)}</span>
    </p>
  {/if}
  {#each step.do as text, i (i)}<p>{text}</p>{/each}
  <dl class="figures">
    {#each step.figures as figure, i (i)}
      <div>
        <dt>{figure.label}</dt>
        <dd>
          <b class="figure">{formatMib(figure.bytes, sectorSize)}</b>
          <span class="figure">{formatSize(figure.bytes)}</span>
          {#if figure.sector !== undefined}<span class="figure">sector {formatCount(figure.sector)}</span
            >{/if}
        </dd>
      </div>
    {/each}
  </dl>
  <Values values={step.values} />
  {#if step.script}<ScriptBox script={step.script} />{/if}
  <section class="see">
    <h4>You should now see</h4>
    <p>{step.see.text}</p>
    <!-- eslint-disable-next-line svelte/no-at-html-tags -- drawn by the core from numbers and letters -->
    <div class="strip" role="img" aria-label={step.see.text}>{@html strip}</div>
    {#each step.ifNot as text, i (i)}<p class="not"><b>If not:</b> {text}</p>{/each}
  </section>
  <details>
    <summary>If it goes wrong here</summary>
    <div class="wrong">
      <p><b>If it stops half-way.</b> {step.wrong.midway}</p>
      {#if step.wrong.back.length > 0}
        <p><b>The way back once it is done:</b></p>
        <ol>
          {#each step.wrong.back as text, i (i)}<li>{text}</li>{/each}
        </ol>
      {/if}
      {#each step.wrong.lost as text, i (i)}<p class="soft">{text}</p>{/each}
    </div>
  </details>
</div>

<style>
  .body {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 0.625rem;
  }
  .which {
    color: var(--ink-soft);
  }
  .which b {
    color: var(--ink);
  }
  .figures {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(10.5rem, 1fr));
    gap: 0.625rem;
  }
  .figures div {
    border-left: 3px solid var(--line-strong);
    padding-left: 0.625rem;
  }
  dt {
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  dd b {
    display: block;
    font-size: 1.0625rem;
    font-weight: 650;
    letter-spacing: -0.02em;
  }
  dd span {
    display: block;
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  .see {
    display: grid;
    gap: 0.375rem;
    padding: 0.625rem 0.875rem;
    border-radius: 0.5rem;
    background: var(--windows-bed);
  }
  h4 {
    font-weight: 700;
    font-size: 0.875rem;
  }
  .strip :global(svg) {
    width: 100%;
    height: auto;
  }
  .not {
    font-size: 0.875rem;
  }
  summary {
    min-height: 2rem;
  }
  .wrong {
    display: grid;
    gap: 0.375rem;
    font-size: 0.9063rem;
  }
  ol {
    list-style: decimal;
    padding-left: 1.5rem;
  }
  @media print {
    .figures {
      grid-template-columns: repeat(4, 1fr);
      gap: 4pt;
    }
    .see {
      background: none;
      padding: 0;
    }
  }
</style>
