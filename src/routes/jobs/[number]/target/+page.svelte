<script lang="ts">
  import type { Preference } from '$core/planning';
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import { untrack } from 'svelte';
  import { goto, invalidateAll } from '$app/navigation';
  import { page } from '$app/state';
  import { nameInSentence } from '$core/disk';
  import { formatShare, formatSize } from '$core/units';
  import { computeEffortInWorker, planInWorker } from '$lib/workers/plan';
  import FindingCard from '$ui/FindingCard.svelte';
  import { WANTED_FREE } from '$ui/holdings/firstForm.svelte';
  import Refused from '$ui/Refused.svelte';
  import Donors from '$ui/target/Donors.svelte';
  import Effort from '$ui/target/Effort.svelte';
  import Fill from '$ui/target/Fill.svelte';
  import { GoalForm } from '$ui/target/goalForm.svelte';
  import Lasting from '$ui/target/Lasting.svelte';
  import LastingChart from '$ui/target/LastingChart.svelte';
  import Permissions from '$ui/target/Permissions.svelte';
  import Size from '$ui/target/Size.svelte';
  import { readAllowances } from '$ui/ways/otherWaysOf';
  import { PREFERENCES } from '$ui/words';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);

  /** The search may take its time here, since it can be stopped. */
  const PATIENCE = { milliseconds: 9000, nodes: 8000 };
  const form = untrack(
    () =>
      new GoalForm(() => data, {
        plan: (request, onprogress, signal) =>
          planInWorker(request, PATIENCE, ({ share }) => onprogress(share), signal),
        show: (reached) =>
          reached ? goto(`/jobs/${job.number}/route`, { invalidateAll: true }) : invalidateAll(),
      }),
  );
  /** Whether permissions are shown: from the beginning where somebody came here to allow what another way out needs. */
  let permitting = $state(
    untrack(() => {
      const joinable = form.joinable.map(({ number }) => number);
      return form.allow(readAllowances(page.url.searchParams, joinable));
    }),
  );
  const { disk, target } = $derived(form.here);
  const { name, now, used, least, most, total, tooMuch, forWanted, options } = $derived(form);

  const atMost = (kit: string): string => {
    const bytes = form.mostByKit[kit];
    if (bytes === undefined) return 'not asked';
    return bytes <= now ? 'no more than now' : `up to ${formatSize(bytes)}`;
  };
  const surveysOfTarget = $derived(
    data.fillings
      .filter((one) => one.partition === target.number)
      .map(({ takenAt, used: value }) => ({ at: Date.parse(takenAt), value })),
  );
  const surveyed = $derived(Date.parse(job.survey!.document.takenAt));
  const askable = $derived(total !== null && !tooMuch ? total : null);
  const gone = $derived(form.first ? form.first.goes + form.first.moved : 0);
  /** What stood in the way of the goal that was last asked for. */
  const stops = $derived(
    job.answer && !job.answer.reached && job.goal && !job.goal.stale ? job.answer.findings : [],
  );
</script>

<svelte:head><title>Target · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page middle">
  <h1>How much should {name} get?</h1>
  {#if most <= now && disk.media !== 'virtual'}
    <p class="soft">With these kits {name} cannot get any more than it has. This is why:</p>
    <div class="cards">
      {#each form.nothing as finding, i (i)}<FindingCard {finding} />{/each}
    </div>
    <p class="others"><a href="/jobs/{job.number}/diagnosis#other-ways">Other ways out</a></p>
  {/if}
  {#if gone > 0}
    <p class="first-line">
      <span
        ><b>{formatSize(gone)} go first.</b> Then {name} has {formatShare(now - (used ?? 0), now)} free as it is{now -
          (used ?? 0) >=
        now * WANTED_FREE
          ? ', and nothing has to move'
          : ''}; what is asked for here counts from there.</span
      >
      <a href="/jobs/{job.number}/survey/holdings">What goes first</a>
    </p>
  {:else if job.holdings?.found.some((one) => one.goes.length > 0)}
    <p class="first-line">
      <span>Before anything moves: look at what can go first.</span>
      <a href="/jobs/{job.number}/survey/holdings">What fills {name}</a>
    </p>
  {/if}
  <div class="columns">
    <form
      onsubmit={(event) => {
        event.preventDefault();
        void form.ask();
      }}
      novalidate
    >
      <Size
        {now}
        {used}
        {least}
        {most}
        sectorSize={disk.sectorSize}
        typed={form.typed}
        {total}
        message={form.message}
        {tooMuch}
        ontype={(next) => (form.typed = next)}
        ontake={(size) => form.take(size)}
      />

      <fieldset>
        <legend>With which kits, and the most for each</legend>
        {#each form.allKits as kit (kit.id)}
          <label class="line"
            ><input
              type="checkbox"
              checked={form.kits.includes(kit.id)}
              onchange={() => form.toggleKit(kit.id)}
            />{kit.name}
            <span class="figure soft">{atMost(kit.id)}</span></label
          >
        {/each}
      </fieldset>

      <div class="rows">
        <label class="keep">
          <span>Leave free in each donor</span>
          <span class="unit"
            ><input
              class="input figure"
              bind:value={form.keepText}
              aria-invalid={!form.keepGood}
              aria-describedby="keep-says"
              inputmode="decimal"
              autocomplete="off"
            /> % afterwards</span
          >
        </label>
        <label class="keep">
          <span>Wanted free in {name}</span>
          <span class="unit"
            ><input
              class="input figure"
              bind:value={form.wantedText}
              inputmode="decimal"
              autocomplete="off"
            />
            %
            {#if forWanted !== null}<button
                type="button"
                class="link"
                disabled={forWanted <= now}
                onclick={() => form.take(Math.min(forWanted, most))}
                >{forWanted <= now
                  ? 'has it already'
                  : `take ${formatSize(Math.min(forWanted, most))}`}</button
              >{/if}</span
          >
        </label>
        <label class="keep">
          <span>Order the routes by</span>
          <select
            class="input"
            value={options.prefer ?? 'usual'}
            onchange={(event) =>
              (form.options = { ...options, prefer: event.currentTarget.value as Preference })}
          >
            {#each PREFERENCES as [id, says] (id)}<option value={id}>{says}</option>{/each}
          </select>
        </label>
      </div>
      <p id="keep-says" class="error">{form.keepGood ? '' : 'Type a share from 0 to 95.'}</p>
      <details bind:open={permitting}>
        <summary>What may be done on the way</summary>
        <Permissions
          {disk}
          {target}
          joinable={form.joinable}
          {options}
          onoptions={(next) => (form.options = next)}
        />
      </details>

      {#if form.refusal}<Refused
          refusal={form.refusal}
          onoverwrite={(version) => void form.save(version)}
        />{/if}
      {#if form.planning !== null}
        <div class="planning">
          <Progress value={Math.round(form.planning * 100)} max={100}>
            <Progress.Label>Looking for routes</Progress.Label>
            <Progress.Track><Progress.Range /></Progress.Track>
          </Progress>
          <button type="button" class="btn btn-sm quiet" onclick={() => form.stop()}>Stop looking</button>
        </div>
      {:else}
        <p class="go">
          <button class="btn action" disabled={!form.canAsk}>Find the routes</button>
          {#if form.stopped}<span role="status" class="soft">Stopped. Nothing was changed.</span>{/if}
        </p>
      {/if}
    </form>

    <div class="picture">
      <Fill title="{name} now" size={now} used={form.usedNow} scale={Math.max(most, total ?? 0)} />
      {#if total !== null && !tooMuch}
        <Fill title="{name} afterwards" size={total} {used} scale={Math.max(most, total)} />
      {:else}
        <div class="blank">
          {tooMuch
            ? `${formatSize(total ?? 0)} is not there`
            : `${name} afterwards, once a size is asked for`}
        </div>
      {/if}
      <div>
        <h2>Where the room can come from</h2>
        <p class="first">
          <span>Unallocated, taken first</span><span class="figure">{formatSize(form.unallocated)}</span>
        </p>
        <Donors
          {disk}
          donors={form.donors}
          gives={options.gives ?? {}}
          ongives={(gives) => (form.options = { ...options, gives })}
        />
      </div>
      {#if form.proposals && used !== null}
        <Lasting
          {name}
          proposals={form.proposals}
          at={surveyed}
          {used}
          {now}
          asked={askable}
          years={form.years}
          nameOf={(number) => nameInSentence(disk.partitions.find((one) => one.number === number)!)}
          ontake={(size) => form.take(size)}
          onfair={(fair) => form.takeFair(fair)}
        />
      {/if}
    </div>
  </div>

  {#if form.proposals && used !== null}
    <section aria-label="How it fills">
      <h2>How {name} fills</h2>
      <LastingChart
        surveys={surveysOfTarget}
        growth={form.proposals.growth}
        at={surveyed}
        {used}
        {now}
        asked={askable !== null && askable > now ? askable : null}
      />
    </section>
  {/if}
  {#if stops.length > 0}
    <section aria-label="What stops it">
      <h2>
        {formatSize(job.goal!.size)} cannot be reached. The most is {formatSize(job.answer!.largest)}.
      </h2>
      <div class="cards">
        {#each stops as finding, i (i)}<FindingCard {finding} />{/each}
      </div>
      <p class="others"><a href="/jobs/{job.number}/diagnosis#other-ways">Other ways out</a></p>
    </section>
  {/if}
  {#if most > now}
    <Effort
      request={form.request}
      partition={target.number}
      {now}
      {most}
      inReach={form.inReach}
      asked={total}
      workOut={computeEffortInWorker}
      onchoose={(size) => form.take(size)}
    />
  {/if}
</main>

<style>
  .first-line {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: 0.25rem 1.5rem;
    padding: 0.5rem 0.875rem;
    border-left: 4px solid var(--accent);
    background: var(--card);
    border-radius: 0.375rem;
  }
  .first-line a,
  .others a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .columns {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 2.5rem;
    align-items: start;
  }
  form {
    background: var(--card);
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    padding: 1.125rem 1.375rem;
  }
  .keep > span:first-child,
  legend {
    display: block;
    font-weight: 600;
    margin-bottom: 0.25rem;
  }
  .link {
    text-decoration: underline;
  }
  .link {
    color: var(--accent-ink);
    font-size: 0.875rem;
  }
  .line {
    display: flex;
    align-items: center;
    gap: 0.5rem;
    padding: 0.125rem 0;
  }
  .line .figure {
    margin-left: auto;
    font-size: 0.875rem;
  }
  .rows {
    display: grid;
    gap: 0.5rem;
    padding-top: 0.875rem;
  }
  .keep {
    display: grid;
    grid-template-columns: 11.5rem minmax(0, 1fr);
    align-items: center;
  }
  .keep > span:first-child {
    margin: 0;
    font-size: 0.875rem;
  }
  .keep .input {
    padding: 0.25rem 0.625rem;
  }
  .unit {
    display: flex;
    align-items: center;
    gap: 0.5rem;
    white-space: nowrap;
    font-size: 0.875rem;
  }
  .unit .input {
    width: 4.5rem;
  }
  details {
    padding-bottom: 0.875rem;
  }
  summary {
    padding-bottom: 0.5rem;
  }
  .go {
    display: flex;
    align-items: center;
    gap: 1rem;
  }
  .planning {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 1rem;
    align-items: end;
  }
  /* A chart that was drawn wide takes no more than its column when the window becomes narrower. */
  .picture {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: 1.25rem;
  }
  .blank {
    display: grid;
    place-items: center;
    height: 6.4rem;
    border: 1.5px dashed var(--dry-line);
    border-radius: 6px;
    color: var(--ink-soft);
  }
  .first {
    display: flex;
    justify-content: space-between;
    padding: 0.375rem 0;
    border-top: 1px solid var(--line);
  }
  @media (max-width: 56rem) {
    .columns {
      grid-template-columns: minmax(0, 1fr);
      gap: 1.5rem;
    }
  }
</style>
