<script lang="ts">
  import {
    blocksFor,
    largestSizes,
    planRoutes,
    taskOf,
    type GoalOptions,
    type Preference,
    type RoutesAnswer,
    type RoutesRequest,
  } from '$core/planning';
  import { SHIPPED_KITS, spareOf } from '$core/tools';
  import { Progress } from '@skeletonlabs/skeleton-svelte';
  import { goto, invalidateAll } from '$app/navigation';
  import { bytesOf, endOf, sentenceName, unallocated, worthShowing } from '$core/disk';
  import type { Finding } from '$core/finding';
  import { exactText, formatSize, MIB, readGoal, roundUp } from '$core/units';
  import type { PlanProgress } from '$lib/workers/asked';
  import { effortInWorker, planInWorker } from '$lib/workers/plan';
  import { send, type Refusal, type Saved } from '$ui/api';
  import FindingCard from '$ui/FindingCard.svelte';
  import { jobDisk } from '$ui/jobDisk';
  import Refused from '$ui/Refused.svelte';
  import Donors from '$ui/target/Donors.svelte';
  import Effort from '$ui/target/Effort.svelte';
  import Fill from '$ui/target/Fill.svelte';
  import Permissions from '$ui/target/Permissions.svelte';
  import Size from '$ui/target/Size.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const here = $derived(jobDisk(job));
  const name = $derived(sentenceName(here.target));
  const now = $derived(bytesOf(here.disk, here.target));
  const used = $derived(here.target.volume?.used ?? null);

  // svelte-ignore state_referenced_locally
  let options = $state.raw<GoalOptions>(job.goal?.options ?? {});
  // svelte-ignore state_referenced_locally
  let keepText = $state(String(job.goal?.keepFreePercent ?? 10));
  const keep = $derived(Number(keepText.replace(',', '.').replace('%', '').trim()));
  const keepGood = $derived(keepText.trim() !== '' && keep >= 0 && keep <= 95);
  const keepFree = $derived({ percent: keepGood ? keep : 0, bytes: 0 });
  let wantedText = $state('20');
  const wanted = $derived(Number(wantedText.replace(',', '.').replace('%', '').trim()) / 100);

  const allKits = $derived(
    [...SHIPPED_KITS, ...(data.workshop.kits ?? [])].map(({ id, name }) => ({ id, name })),
  );
  const kits = $derived(options.kits ?? allKits.map((kit) => kit.id));
  const request = $derived<Omit<RoutesRequest, 'goal'>>({
    survey: job.survey!.document,
    disk: here.disk.number,
    keepFree,
    workshop: data.workshop,
    ...options,
    kits,
  });

  /** The most for each kit; held amounts do not count for that. */
  const mostByKit = $derived.by((): Record<string, number> => {
    const goal = { partition: here.target.number, max: true };
    const task = taskOf(here.machine, { ...request, gives: {}, goal });
    if (!task.ok) throw new Error(task.problems[0]?.message);
    return blocked.length > 0 ? {} : largestSizes(task.value);
  });
  const blocked = $derived(blocksFor(here.machine, here.disk, here.target));
  const most = $derived(Math.max(now, ...Object.values(mostByKit)));
  /** Why there is nothing to be had. */
  const nothing = $derived.by((): Finding[] => {
    if (most > now) return [];
    const goal = { partition: here.target.number, max: true };
    const outcome = planRoutes({ ...request, goal }, { nodes: 1 });
    return outcome.ok ? outcome.value.findings : [];
  });
  const least = $derived(Math.min(most, roundUp(now + 1, MIB)));
  const frame = $derived({ now, used, least, most });

  /** What is typed: the new total or the amount added; the other field follows. */
  // svelte-ignore state_referenced_locally
  let typed = $state<{ field: 'total' | 'added'; text: string }>({
    field: 'total',
    text: job.goal && !job.goal.stale ? exactText(job.goal.size) : '',
  });
  const reading = $derived(typed.text.trim() === '' ? null : readGoal(typed.text, typed.field, frame));
  const total = $derived(reading?.ok ? reading.total : null);
  const tooMuch = $derived(total !== null && total > most && !options.mayEnlargeDisk);
  const message = $derived(reading && !reading.ok ? reading.message : '');
  const take = (size: number): void => {
    typed = { field: 'total', text: exactText(size) };
  };
  /** The size at which the wanted share is free. */
  const forWanted = $derived(
    used !== null && wanted > 0 && wanted < 0.95 ? roundUp(used / (1 - wanted), MIB) : null,
  );

  const donors = $derived(
    here.disk.partitions
      .filter((partition) => partition.role === 'data' && partition !== here.target)
      .map((partition) => ({ partition, spare: spareOf(here.disk, partition, keepFree) })),
  );
  const unallocatedInAll = $derived(
    unallocated(here.disk.usableRelocated, here.disk.partitions)
      .filter((gap) => worthShowing(here.disk, gap))
      .reduce((sum, gap) => sum + bytesOf(here.disk, gap), 0),
  );
  const inReach = $derived(
    unallocated(here.disk.usable, here.disk.partitions)
      .filter((gap) => gap.first === endOf(here.target))
      .reduce((sum, gap) => sum + bytesOf(here.disk, gap), 0),
  );

  let refusal = $state<Refusal | null>(null);
  let planning = $state<PlanProgress | null>(null);
  let stopped = $state(false);
  let cancel: AbortController | null = null;

  /** The search may take its time here, since it can be stopped. */
  const PATIENCE = { milliseconds: 9000, nodes: 8000 };

  async function ask(version = job.version, found?: RoutesAnswer): Promise<void> {
    if (total === null || !keepGood) return;
    stopped = false;
    let answer = found;
    if (!answer) {
      planning = { share: 0, kit: '' };
      cancel = new AbortController();
      const goal = { partition: here.target.number, size: total };
      const outcome = await planInWorker(
        { ...$state.snapshot(request), goal },
        PATIENCE,
        (progress) => (planning = progress),
        cancel.signal,
      );
      planning = null;
      if (!outcome) {
        stopped = true;
        return;
      }
      if (outcome.ok) answer = outcome.value;
    }
    const reply = await send<Saved>('PUT', `/api/v1/jobs/${job.number}/goal`, {
      version,
      size: total,
      keepFreePercent: keep,
      options: { ...options, kits },
      ...(answer ? { answer } : {}),
    });
    refusal = reply.ok ? null : reply.refusal;
    again = (current) => void ask(current, answer);
    if (!reply.ok) return;
    if (answer && !answer.reached) await invalidateAll();
    else await goto(`/jobs/${job.number}/route`, { invalidateAll: true });
  }
  let again = $state<((version: number) => void) | undefined>();

  const toggleKit = (id: string): void => {
    const next = kits.includes(id) ? kits.filter((one) => one !== id) : [...kits, id];
    if (next.length > 0)
      options = { ...options, kits: allKits.map((kit) => kit.id).filter((one) => next.includes(one)) };
  };
  const PREFER: [Preference, string][] = [
    ['safe', 'least exposure'],
    ['quick', 'least copying'],
    ['few-steps', 'fewest steps'],
  ];

  /** What stood in the way of the goal that was last asked for. */
  const stops = $derived(
    job.answer && !job.answer.reached && job.goal && !job.goal.stale ? job.answer.findings : [],
  );
</script>

<svelte:head><title>Target · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page middle">
  <h1>How much should {name} get?</h1>
  {#if most <= now && !(here.disk.media === 'virtual')}
    <p class="soft">With these kits {name} cannot get any more than it has. This is why:</p>
    <div class="cards">
      {#each nothing as finding (finding.code + finding.title)}<FindingCard {finding} />{/each}
    </div>
  {/if}
  <div class="columns">
    <form
      onsubmit={(event) => {
        event.preventDefault();
        void ask();
      }}
      novalidate
    >
      <Size
        {now}
        {used}
        {least}
        {most}
        {typed}
        {total}
        {message}
        {tooMuch}
        ontype={(next) => (typed = next)}
        ontake={take}
      />

      <fieldset>
        <legend>With which kits, and the most for each</legend>
        {#each allKits as kit (kit.id)}
          <label class="line"
            ><input
              type="checkbox"
              checked={kits.includes(kit.id)}
              onchange={() => toggleKit(kit.id)}
            />{kit.name}
            <span class="figure soft"
              >{mostByKit[kit.id] === undefined
                ? 'not asked'
                : mostByKit[kit.id]! <= now
                  ? 'no more than now'
                  : `up to ${formatSize(mostByKit[kit.id]!)}`}</span
            ></label
          >
        {/each}
      </fieldset>

      <div class="rows">
        <label class="keep">
          <span>Leave free in each donor</span>
          <span class="unit"
            ><input
              class="input figure"
              bind:value={keepText}
              aria-invalid={!keepGood}
              aria-describedby="keep-says"
              inputmode="decimal"
              autocomplete="off"
            /> % afterwards</span
          >
        </label>
        <label class="keep">
          <span>Wanted free in {name}</span>
          <span class="unit"
            ><input class="input figure" bind:value={wantedText} inputmode="decimal" autocomplete="off" /> %
            {#if forWanted !== null}<button
                type="button"
                class="link"
                disabled={forWanted <= now}
                onclick={() => take(Math.min(forWanted, most))}
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
            value={options.prefer ?? 'safe'}
            onchange={(event) => (options = { ...options, prefer: event.currentTarget.value as Preference })}
          >
            {#each PREFER as [id, says] (id)}<option value={id}>{says}</option>{/each}
          </select>
        </label>
      </div>
      <p id="keep-says" class="error">{keepGood ? '' : 'Type a share from 0 to 95.'}</p>
      <details>
        <summary>What may be done on the way</summary>
        <Permissions disk={here.disk} target={here.target} {options} onoptions={(next) => (options = next)} />
      </details>

      {#if refusal}<Refused {refusal} onoverwrite={again} />{/if}
      {#if planning}
        <div class="planning">
          <Progress value={Math.round(planning.share * 100)} max={100}>
            <Progress.Label>Looking for routes</Progress.Label>
            <Progress.Track><Progress.Range /></Progress.Track>
          </Progress>
          <button type="button" class="btn btn-sm quiet" onclick={() => cancel?.abort()}>Stop looking</button>
        </div>
      {:else}
        <p class="go">
          <button class="btn action" disabled={total === null || !keepGood}>Find the routes</button>
          {#if stopped}<span role="status" class="soft">Stopped. Nothing was changed.</span>{/if}
        </p>
      {/if}
    </form>

    <div class="picture">
      <Fill title="{name} now" size={now} {used} scale={Math.max(most, total ?? 0)} />
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
          <span>Unallocated, taken first</span><span class="figure">{formatSize(unallocatedInAll)}</span>
        </p>
        <Donors
          disk={here.disk}
          {donors}
          gives={options.gives ?? {}}
          ongives={(gives) => (options = { ...options, gives })}
        />
      </div>
    </div>
  </div>

  {#if stops.length > 0}
    <section aria-label="What stops it">
      <h2>
        {formatSize(job.goal!.size)} cannot be reached. The most is {formatSize(job.answer!.largest)}.
      </h2>
      <div class="cards">
        {#each stops as finding (finding.code + finding.title)}<FindingCard {finding} />{/each}
      </div>
    </section>
  {/if}
  {#if most > now}
    <Effort
      {request}
      partition={here.target.number}
      {now}
      {most}
      {inReach}
      asked={total}
      workOut={effortInWorker}
      onchoose={take}
    />
  {/if}
</main>

<style>
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
    cursor: pointer;
    color: var(--accent-ink);
    font-weight: 600;
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
  .picture {
    display: grid;
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
