<script lang="ts">
  import type { Difference, Grade } from '$core/proof';

  let { differences }: { differences: readonly Difference[] } = $props();
  const NAME: Record<Grade, string> = {
    lost: 'Missing',
    wrong: 'To be put right',
    look: 'To be looked at',
    explained: 'Explained by the work',
  };
  const grades = $derived(
    (['lost', 'wrong', 'look', 'explained'] as const)
      .map((grade) => ({ grade, list: differences.filter((one) => one.grade === grade) }))
      .filter(({ list }) => list.length > 0),
  );
</script>

{#each grades as { grade, list } (grade)}
  <section aria-label={NAME[grade]}>
    <h3 class="is-{grade}">{NAME[grade]} · {list.length}</h3>
    <ul>
      {#each list as one, i (i)}
        <li>
          <b>{one.what}</b>
          <p class="figures">
            <span><i>promised</i> <span class="figure">{one.promised}</span></span>
            <span><i>found</i> <span class="figure">{one.found}</span></span>
          </p>
          <p class="soft">{one.why}</p>
        </li>
      {/each}
    </ul>
  </section>
{/each}

<style>
  h3 {
    font-weight: 700;
    margin-bottom: 0.375rem;
  }
  .is-lost,
  .is-wrong {
    color: var(--error);
  }
  .is-look {
    color: var(--exposed);
  }
  ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(20rem, 1fr));
    gap: 0.625rem;
  }
  li {
    padding: 0.625rem 0.875rem;
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    background: var(--card);
  }
  .figures {
    display: grid;
    font-size: 0.875rem;
  }
  .figures > span {
    display: grid;
    grid-template-columns: 4.5rem 1fr;
  }
  .figures i {
    font-style: normal;
    color: var(--ink-soft);
  }
  .figures .figure {
    overflow-wrap: anywhere;
  }
</style>
