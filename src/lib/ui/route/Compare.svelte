<script lang="ts">
  import { bytesOf, nameInSentence, type Disk, type Partition } from '$core/disk';
  import { CRITERIA, type Route } from '$core/planning';
  import { copyOf, countUsedAsLeft } from '$core/steps';
  import { formatDuration, formatShare, formatSize } from '$core/units';

  interface Props {
    disk: Disk;
    target: Partition;
    routes: readonly { route: Route; kit: string; index: number }[];
    toolName: (id: string) => string;
    shown: number;
    onshow: (index: number) => void;
  }
  let { disk, target, routes, toolName, shown, onshow }: Props = $props();

  const donors = $derived(
    disk.partitions.filter(
      (partition) =>
        partition !== target &&
        partition.volume?.used != null &&
        routes.some(({ route }) =>
          route.steps.some(
            (step) => (step.verb === 'shrink' || step.verb === 'copy') && step.partition === partition.number,
          ),
        ),
    ),
  );
  const freeIn = (route: Route, partition: Partition): string => {
    const into = copyOf(route.steps, partition.number);
    const now = into && 'partition' in into ? into.partition : partition.number;
    const left = route.asLeft.partitions.find((one) => one.number === now);
    const used = countUsedAsLeft(disk, route.steps, partition);
    if (!left || used === null) return '–';
    const free = bytesOf(disk, left) - used;
    return `${formatSize(free)} (${formatShare(free, bytesOf(disk, left))})`;
  };
  const GRADE = { plain: 'plain', careful: 'careful work', demanding: 'demanding' } as const;
  const rows = $derived<[string, (route: Route) => string, ((route: Route) => string)?][]>([
    ['Tools', (route) => [...new Set(route.steps.map((step) => toolName(step.tool)))].join(', ')],
    ...Object.values(CRITERIA).map(({ name, show }): [string, typeof show] => [name, show]),
    ['Time', (route) => formatDuration(route.totals.seconds)],
    ['of it hands-on', (route) => formatDuration(route.totals.handsOnSeconds)],
    ['of it waiting', (route) => formatDuration(route.totals.waitingSeconds)],
    ['Hand-overs', (route) => String(route.totals.handOvers)],
    ['Stranded', (route) => formatSize(route.totals.stranded)],
    ['Asks of you', (route) => GRADE[route.difficulty.grade], (route) => route.difficulty.why],
    [
      'No way back from',
      (route) => (route.noReturn ? `step ${route.noReturn.step}` : 'nowhere'),
      (route) => route.noReturn?.why ?? 'Each step can be taken back.',
    ],
    [`${nameInSentence(target)} free afterwards`, (route) => freeIn(route, target)],
    ...donors.map((donor): [string, (route: Route) => string] => [
      `${nameInSentence(donor)} free afterwards`,
      (route) => freeIn(route, donor),
    ]),
  ]);
</script>

<!-- A scrollable region must be reachable by keyboard. -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="scroll" tabindex="0" role="region" aria-label="Routes side by side">
  <table>
    <thead>
      <tr>
        <td></td>
        {#each routes as { route, kit, index } (index)}
          <th scope="col" class:shown={index === shown}>
            <button type="button" onclick={() => onshow(index)}>{route.title}</button><span>{kit}</span>
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as [label, text, why], i (i)}
        <tr>
          <th scope="row">{label}</th>
          {#each routes as { route, index } (index)}
            <td class="figure" class:shown={index === shown} title={why?.(route)}>{text(route)}</td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .scroll {
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    font-size: 0.8438rem;
  }
  th,
  td {
    padding: 0.25rem 0.75rem;
    text-align: left;
    vertical-align: top;
    border-top: 1px solid var(--line);
    white-space: nowrap;
  }
  thead th {
    min-width: 10.5rem;
    max-width: 13rem;
    white-space: normal;
    border-top: 3px solid var(--line-strong);
    border-left: 6px solid transparent;
    border-image: none;
  }
  thead th.shown {
    border-top-color: var(--accent);
  }
  thead td {
    border-top: 0;
  }
  thead button {
    font-weight: 650;
    text-align: left;
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
  }
  thead span {
    display: block;
    font-weight: 400;
    color: var(--ink-soft);
  }
  tbody th {
    position: sticky;
    left: 0;
    background: var(--paper);
    font-weight: 400;
    color: var(--ink-soft);
  }
  td.shown {
    background: var(--card);
  }
</style>
