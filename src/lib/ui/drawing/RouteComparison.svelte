<script lang="ts">
  import {
    beats,
    CRITERIA,
    criteriaOf,
    CRITERION_KEYS,
    inOrder,
    type Preference,
    type Route,
  } from '$core/planning';
  import { formatDuration, formatSize } from '$core/units';

  interface Props {
    route: Route | null;
    reached: boolean;
    /** Routes that the planner found for the same goal. */
    found: readonly Route[];
    kitName: (id: string) => string;
    prefer: Preference;
  }
  let { route, reached, found, kitName, prefer }: Props = $props();

  /** The found ones to hold it against: the best of its own kit, and the best of all. */
  const others = $derived.by(() => {
    const order = inOrder([...found], prefer).map((index) => found[index]!);
    const own = order.find((one) => one.kit === route?.kit);
    const best = order[0];
    return [...new Set([own, best].filter((one): one is Route => one !== undefined))];
  });
  /** A found route that is no worse in all and better in something. */
  const beater = $derived.by(() => {
    if (!route || !reached) return null;
    const mine = criteriaOf(route);
    const same = found.filter((one) => one.kit === route.kit);
    return same.find((one) => beats(criteriaOf(one), mine)) ?? null;
  });
  /** Name, how it is shown, and its figure; less is better in each. */
  type Row = [string, (route: Route) => string, (route: Route) => number];
  const ROWS: Row[] = [
    ...CRITERION_KEYS.map((key): Row => [
      CRITERIA[key].name,
      CRITERIA[key].show,
      (one) => criteriaOf(one)[key],
    ]),
    ['Time', (one) => formatDuration(one.totals.seconds), (one) => one.totals.seconds.high],
    ['Hand-overs', (one) => String(one.totals.handOvers), (one) => one.totals.handOvers],
    ['Stranded', (one) => formatSize(one.totals.stranded), (one) => one.totals.stranded],
  ];
</script>

<section aria-labelledby="against-head">
  <h2 id="against-head">Against the found routes</h2>
  {#if !route}
    <p class="soft">Nothing to compare yet.</p>
  {:else}
    <table>
      <thead>
        <tr>
          <td></td>
          <th scope="col">This drawing</th>
          {#each others as other (other)}<th scope="col">{other.title} <small>{kitName(other.kit)}</small></th
            >{/each}
        </tr>
      </thead>
      <tbody>
        {#each ROWS as [label, text, value] (label)}
          <tr>
            <th scope="row">{label}</th>
            <td class="figure">{text(route)}</td>
            {#each others as other (other)}
              <td class="figure" class:better={value(other) < value(route)}>
                {text(other)}{#if value(other) < value(route)}<span class="visually-hidden">
                    (better)</span
                  >{/if}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
    {#if !reached}
      <p class="soft">The drawing does not reach the goal yet, so its figures are not whole.</p>
    {:else if beater}
      <p>“{beater.title}” is no worse in anything and better in what is marked.</p>
    {:else}
      <p>No found route of this kit is better in all.</p>
    {/if}
  {/if}
</section>

<style>
  table {
    width: 100%;
    font-size: 0.8125rem;
    border-collapse: collapse;
    table-layout: fixed;
  }
  th,
  td {
    text-align: left;
    vertical-align: top;
    padding: 0.1875rem 0.375rem 0.1875rem 0;
    border-top: 1px solid var(--line);
    overflow-wrap: anywhere;
  }
  thead th,
  thead td {
    border-top: 0;
    font-weight: 650;
    line-height: 1.2;
  }
  tbody th {
    font-weight: 400;
    color: var(--ink-soft);
  }
  small {
    display: block;
    font-weight: 400;
    color: var(--ink-soft);
  }
  .better {
    color: var(--accent-ink);
    font-weight: 700;
  }
  p {
    font-size: 0.8438rem;
    margin-top: 0.375rem;
  }
</style>
