<script lang="ts">
  import type { HistoryEntry } from '$contract/jobs';
  import { utc } from '$ui/survey/surveyLine';

  let {
    entries,
    breach,
  }: { entries: readonly HistoryEntry[]; breach: { at: number | null; counted: number | null } | null } =
    $props();

  const newestFirst = $derived([...entries].reverse());
  const foreign = $derived(entries.filter(({ kind }) => kind === 'elsewhere').length);
</script>

{#if breach}
  <p class="error" role="alert">
    {#if breach.at !== null}
      Entry {breach.at + 1} is not as it was written: somebody changed the history in the database.
    {:else if breach.counted === entries.length}
      The number of entries is not as it was sealed: somebody changed the history in the database.
    {:else}
      There should be {breach.counted} entries and there are {entries.length}: somebody cut the history in the
      database.
    {/if}
  </p>
{:else}
  <p class="soft">
    Entries are only ever added. Each is sealed with this bench’s key and with the one before it, and all
    seals hold.
  </p>
{/if}
{#if foreign > 0}
  <p class="foreign">
    {foreign === 1 ? 'One entry is' : `${foreign} entries are`} from another bench and not verified here: they stand
    as they came with the job.
  </p>
{/if}
<ol>
  {#each newestFirst as entry, i (i)}
    <li class:elsewhere={entry.kind === 'elsewhere'}>
      <span class="soft figure">{utc(entry.at)}</span>
      <span
        >{entry.what}{#if entry.who}<span class="soft">{` · ${entry.who}`}</span>{/if}
        {#if entry.kind === 'elsewhere'}<span class="whence">from another bench, not verified here</span
          >{/if}</span
      >
    </li>
  {/each}
</ol>

<style>
  .foreign {
    margin-top: 0.5rem;
    padding-left: 0.75rem;
    border-left: 3px dotted var(--ink-soft);
  }
  ol {
    display: grid;
    margin-top: 0.75rem;
  }
  li {
    display: grid;
    grid-template-columns: 11rem minmax(0, 1fr);
    gap: 1rem;
    padding: 0.5rem 0;
    border-top: 1px solid var(--line);
    overflow-wrap: anywhere;
  }
  .elsewhere {
    border-top-style: dotted;
  }
  .whence {
    display: block;
    font-size: 0.8125rem;
    font-style: italic;
    color: var(--ink-soft);
  }
  .figure {
    font-size: 0.8125rem;
    padding-top: 0.125rem;
  }
</style>
