<script lang="ts">
  import type { HoldingsTree } from '$core/holdings';
  import { formatCount, formatShare, formatSize } from '$core/units';
  import Switch from '../Switch.svelte';

  interface Props {
    tree: HoldingsTree;
    /** Place of the folder that is looked into. */
    opened: number;
    /** RFC 3339: when it was looked at. */
    takenAt: string;
    onopen: (place: number) => void;
  }
  let { tree, opened, takenAt, onopen }: Props = $props();

  let view = $state<'folders' | 'files' | 'age'>('folders');
  const MOST = 100;

  const folder = $derived(tree.folder(opened));
  const folders = $derived(tree.foldersIn(opened).slice(0, MOST));
  const files = $derived(
    tree.volume.files.filter((file) => opened === 0 || tree.upwards(file.in).includes(opened)).slice(0, MOST),
  );

  /** Bytes by the last change, in ranges of years before the survey. */
  const RANGES = [
    ['In the last month', 1],
    ['In the last year', 12],
    ['1 to 2 years ago', 24],
    ['2 to 5 years ago', 60],
    ['Longer ago', Infinity],
  ] as const;
  const ages = $derived.by(() => {
    const now = 12 * Number(takenAt.slice(0, 4)) + Number(takenAt.slice(5, 7)) - 1;
    const sums = RANGES.map(([name]) => ({ name, bytes: 0, files: 0 }));
    for (const { month, changed, files: count } of tree.volume.months) {
      const ago = now - (12 * Number(month.slice(0, 4)) + Number(month.slice(5)) - 1);
      const one = sums[RANGES.findIndex(([, most]) => ago < most)]!;
      one.bytes += changed;
      one.files += count;
    }
    return sums;
  });
  const whole = $derived(ages.reduce((sum, { bytes }) => sum + bytes, 0));
</script>

<section aria-label="The largest">
  <Switch
    label="What the table lists"
    bind:value={view}
    choices={[
      ['folders', 'Folders'],
      ['files', 'Files'],
      ['age', 'By age'],
    ]}
  />
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="scroll" tabindex="0" role="region" aria-label="Table of the largest">
    {#if view === 'folders'}
      <table>
        <thead
          ><tr
            ><th>{opened === 0 ? 'At the top' : `In ${folder.name}`}</th><th>Size</th><th>Files</th><th
              >Changed</th
            ></tr
          ></thead
        >
        <tbody>
          {#each folders as place (place)}
            {@const one = tree.folder(place)}
            <tr>
              <td>
                {#if tree.foldersIn(place).length > 0}
                  <button type="button" onclick={() => onopen(place)}>{one.name}</button>
                {:else}{one.name}{/if}
              </td>
              <td class="figure">{formatSize(one.bytes)}</td>
              <td class="figure soft">{formatCount(one.files)}</td>
              <td class="figure soft">{one.newest ?? ''}</td>
            </tr>
          {:else}
            <tr><td colspan="4" class="soft">No folder in here is large enough to be named.</td></tr>
          {/each}
          {#if tree.restOf(opened) > 0}
            <tr>
              <td class="soft">Files in it, and small folders</td>
              <td class="figure">{formatSize(tree.restOf(opened))}</td>
              <td></td><td></td>
            </tr>
          {/if}
        </tbody>
      </table>
    {:else if view === 'files'}
      <table>
        <thead><tr><th>File</th><th>Size</th><th>Changed</th><th>Opened</th></tr></thead>
        <tbody>
          {#each files as file (file)}
            <tr>
              <td><b>{file.name}</b><br /><span class="soft">{tree.pathOf(file.in)}</span></td>
              <td class="figure">{formatSize(file.bytes)}</td>
              <td class="figure soft">{file.changed ?? ''}</td>
              <td class="figure soft">{file.opened ?? ''}</td>
            </tr>
          {:else}
            <tr><td colspan="4" class="soft">No file in here is large enough to be named.</td></tr>
          {/each}
        </tbody>
      </table>
    {:else}
      <table>
        <thead><tr><th>Last changed</th><th>Size</th><th>Share</th><th>Files</th></tr></thead>
        <tbody>
          {#if whole === 0}<tr><td colspan="4" class="soft">The ages of files were not read.</td></tr>{/if}
          {#each whole === 0 ? [] : ages as one (one.name)}
            <tr>
              <td>
                {one.name}
                <span class="bar"><i style:width="{(100 * one.bytes) / whole}%"></i></span>
              </td>
              <td class="figure">{formatSize(one.bytes)}</td>
              <td class="figure">{formatShare(one.bytes, whole)}</td>
              <td class="figure soft">{formatCount(one.files)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
      {#if opened !== 0 && whole > 0}<p class="soft note">
          Of the whole volume, not of {folder.name} alone.
        </p>{/if}
    {/if}
  </div>
</section>

<style>
  section {
    display: grid;
    gap: 0.5rem;
    align-content: start;
    justify-items: start;
    min-width: 0;
  }
  .scroll {
    width: 100%;
    max-height: 18.75rem;
    overflow: auto;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 0.8125rem;
  }
  th,
  td {
    padding: 0.25rem 0.75rem 0.25rem 0;
    text-align: left;
    vertical-align: top;
    border-top: 1px solid var(--line);
    overflow-wrap: anywhere;
  }
  thead th {
    position: sticky;
    top: 0;
    border-top: 0;
    background: var(--paper);
    color: var(--ink-soft);
    font-weight: 600;
  }
  th:not(:first-child),
  td:not(:first-child) {
    text-align: right;
    white-space: nowrap;
  }
  button {
    text-align: left;
    color: var(--accent-ink);
    font-weight: 600;
    text-decoration: underline;
  }
  .bar {
    display: block;
    height: 0.375rem;
    margin-top: 0.1875rem;
    background: var(--windows-bed);
    border-radius: 2px;
  }
  .bar i {
    display: block;
    height: 100%;
    background: var(--windows-line);
    border-radius: 2px;
  }
  .note {
    font-size: 0.8125rem;
    padding-top: 0.375rem;
  }
</style>
