<script lang="ts">
  import { goto } from '$app/navigation';
  import { compareSurveys, pairName, type SurveyChange } from '$core/survey';
  import TwoStrips from '$ui/chart/TwoStrips.svelte';
  import { surveyLine, utc } from '$ui/survey/surveyLine';
  import { describeDisk } from '$ui/words';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const comparison = $derived(compareSurveys(data.before, data.after));
  const choose = (which: 'from' | 'to', id: string): void => {
    const chosen = { from: data.from, to: data.to, [which]: Number(id) };
    void goto(`?from=${chosen.from}&to=${chosen.to}`, { keepFocus: true, noScroll: true });
  };
  const dated = (text: string): string => utc(text).replace(', ', '\n');
</script>

<svelte:head><title>Surveys compared · {data.job.customer} · Gentle Tide</title></svelte:head>

{#snippet rows(name: string, changes: readonly SurveyChange[])}
  {#each changes as change, i (i)}
    <tr>
      {#if i === 0}<th scope="rowgroup" rowspan={changes.length}>{name}</th>{/if}
      <td>{change.what}</td>
      <td class="figure">{change.before}</td>
      <td class="figure">{change.after}</td>
    </tr>
  {/each}
{/snippet}

<main class="page">
  <div class="page-top">
    <div>
      <h1>
        {comparison.same ? 'Nothing changed between the two surveys' : 'What changed between two surveys'}
      </h1>
      <div class="which">
        {#each ['from', 'to'] as const as which (which)}
          <label>
            {which === 'from' ? 'From' : 'to'}
            <select
              class="input"
              value={String(data[which])}
              onchange={(e) => choose(which, e.currentTarget.value)}
            >
              {#each data.surveys as survey (survey.id)}
                <option value={String(survey.id)}>{surveyLine(survey)}</option>
              {/each}
            </select>
          </label>
        {/each}
      </div>
    </div>
    <a class="btn quiet" href="/jobs/{data.job.number}/survey">Back to the survey</a>
  </div>

  {#if comparison.machine.length > 0}
    <section aria-label="The machine">
      <table>
        <thead><tr><th>The machine</th><th>What</th><th>Before</th><th>After</th></tr></thead>
        <tbody>{@render rows(data.after.machine.name, comparison.machine)}</tbody>
      </table>
    </section>
  {/if}

  {#each comparison.disks as pair, i (i)}
    {@const disk = (pair.after ?? pair.before)!}
    <section aria-label="Disk {disk.number}">
      <h2>{describeDisk(disk)}</h2>
      {#if pair.before && pair.after}
        <TwoStrips
          before={pair.before}
          after={pair.after}
          pairs={pair.partitions}
          names={[dated(data.before.takenAt), dated(data.after.takenAt)]}
        />
        <table>
          <thead><tr><th>Partition</th><th>What</th><th>Before</th><th>After</th></tr></thead>
          <tbody>
            {@render rows('The disk', pair.changes)}
            {#each pair.partitions as one, n (n)}
              {#if !one.before || !one.after}
                <tr>
                  <th scope="row">{pairName(one)}</th>
                  <td colspan="3"><b>{one.after ? 'is new' : 'is gone'}</b></td>
                </tr>
              {:else}
                {@render rows(pairName(one), one.changes)}
              {/if}
            {/each}
          </tbody>
        </table>
        {#if pair.changes.length === 0 && pair.partitions.every((one) => one.before && one.after && one.changes.length === 0)}
          <p class="soft">Nothing changed on this disk.</p>
        {/if}
      {:else}
        <p>
          This disk is {pair.after
            ? 'new: the earlier survey does not have it'
            : 'gone: the later survey does not have it'}.
        </p>
      {/if}
    </section>
  {/each}
</main>

<style>
  .which {
    display: flex;
    flex-wrap: wrap;
    gap: 0.75rem 1rem;
    padding-top: 0.5rem;
  }
  .which label {
    display: flex;
    align-items: center;
    gap: 0.5rem;
    font-weight: 600;
  }
  select {
    width: auto;
    padding-right: 2rem;
  }
  section {
    display: grid;
    gap: 0.75rem;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 0.875rem;
  }
  th,
  td {
    text-align: left;
    vertical-align: top;
    padding: 0.3125rem 1rem 0.3125rem 0;
    border-top: 1px solid var(--line);
    overflow-wrap: anywhere;
  }
  thead th {
    border-top: 0;
    color: var(--ink-soft);
    font-weight: 600;
  }
  td:nth-last-child(-n + 2) {
    width: 30%;
  }
</style>
