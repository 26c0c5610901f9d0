<script lang="ts">
  import { renderSVG } from 'uqr';
  import { formatCount, formatDuration, formatMib, formatSize } from '$core/units';
  import type { WorkSheet } from '$core/worksheet';

  interface Props {
    sheet: WorkSheet;
    made: string;
    /** Address of the job. */
    address: string;
    /** Where the sheet's files are served; null for a sheet that must not be worked from. */
    files: string | null;
    who: string;
  }
  let { sheet, made, address, files, who }: Props = $props();
  const { disk, target, totals } = $derived(sheet);
  const code = $derived(renderSVG(address, { border: 2 }));
</script>

<header>
  <div>
    <p class="soft">Work sheet for {who} · {sheet.kit.name} · made {made.slice(0, 10)}</p>
    <h1>{sheet.title}</h1>
    <p class="goal">
      {target.name}
      <b class="figure">{formatSize(target.from)} → {formatSize(target.to)}</b>
      <span class="soft figure">exactly {formatMib(target.to, disk.sectorSize)}</span>
    </p>
    <p class="soft">
      Disk {disk.number} counted from 0, {disk.number + 1} counted from 1 · {disk.model || 'model not known'} ·
      serial <b class="figure">{disk.serial || 'not known'}</b> ·
      <span class="figure">{formatCount(disk.bytes)} bytes</span>
    </p>
    <p class="soft">
      Hands-on {formatDuration(totals.handsOn)} · waiting {formatDuration(totals.waiting)} · exposed
      {formatDuration(totals.exposed)} · {totals.restarts}
      {totals.restarts === 1 ? 'restart' : 'restarts'} ·
      {sheet.difficulty.grade}: {sheet.difficulty.why}
    </p>
    {#if sheet.noReturn}
      <p class="return">Point of no return: step {sheet.noReturn.step}. {sheet.noReturn.why}</p>
    {/if}
    {#each sheet.notes as note, i (i)}<p class="return">{note}</p>{/each}
    {#if files}
      <p class="files">
        <button type="button" class="btn btn-sm quiet" onclick={() => window.print()}>Print</button>
        <a href="{files}/sheet.pdf" target="_blank">PDF, A4</a>
        <a href="{files}/sheet.pdf?paper=letter" target="_blank">PDF, Letter</a>
        <a href="{files}/sheet.md" download>Markdown</a>
        <a href={files} download="work-sheet.json">JSON</a>
      </p>
    {/if}
  </div>
  <!-- eslint-disable-next-line svelte/no-at-html-tags -- drawn by the library from the address alone -->
  <div class="code" role="img" aria-label="QR code of this job’s address">{@html code}</div>
</header>

<style>
  header {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 1.5rem;
    align-items: start;
  }
  header > div {
    display: grid;
    gap: 0.25rem;
  }
  .goal b {
    font-size: 1.125rem;
  }
  .return {
    font-weight: 600;
    color: var(--exposed);
  }
  .files {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 0.25rem 1rem;
    padding-top: 0.25rem;
  }
  .files a {
    color: var(--accent-ink);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .code :global(svg) {
    width: 6.5rem;
    height: 6.5rem;
    border-radius: 0.375rem;
  }
  @media print {
    .files {
      display: none;
    }
  }
</style>
