<script lang="ts">
  import { Slider } from '@skeletonlabs/skeleton-svelte';
  import { goto, invalidateAll } from '$app/navigation';
  import { bytesOf, endOf, sentenceName, unallocated, worthShowing } from '$core/disk';
  import { planRoutes, spareOf } from '$core/planning';
  import { exactText, formatMib, formatSize, GIB, MIB, readGoal, roundDown, roundUp } from '$core/units';
  import { send, type Refusal, type Saved } from '$ui/api';
  import FindingCard from '$ui/FindingCard.svelte';
  import { jobDisk } from '$ui/jobDisk';
  import Refused from '$ui/Refused.svelte';
  import Fill from '$ui/target/Fill.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const here = $derived(jobDisk(job));
  const name = $derived(sentenceName(here.target));
  const now = $derived(bytesOf(here.disk, here.target));
  const used = $derived(here.target.volume?.used ?? null);

  // svelte-ignore state_referenced_locally
  let keepText = $state(String(job.goal?.keepFreePercent ?? 10));
  const keep = $derived(Number(keepText.replace(',', '.').replace('%', '').trim()));
  const keepGood = $derived(keepText.trim() !== '' && keep >= 0 && keep <= 95);
  const keepFree = $derived({ percent: keepGood ? keep : 0, bytes: 0 });

  /** Everything there is: its answer holds the most, and the reason where there is nothing. */
  const limit = $derived.by(() => {
    const outcome = planRoutes({
      survey: job.survey!.document,
      disk: here.disk.number,
      goal: { partition: here.target.number, max: true },
      kits: ['offline-mover'],
      keepFree,
    });
    if (!outcome.ok) throw new Error(outcome.problems[0]?.message);
    return outcome.value;
  });
  const most = $derived(limit.largest);
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
  const tooMuch = $derived(total !== null && total > most);
  const message = $derived(reading && !reading.ok ? reading.message : '');
  /** The slider rests on whole GiB where the range is wide, and on the exact ends. */
  function slide(bytes: number): void {
    const coarse = most - least > 20 * GIB ? roundDown(bytes, GIB) : bytes;
    const size = bytes >= most ? most : Math.min(most, Math.max(least, coarse));
    typed = { field: 'total', text: exactText(size) };
  }
  const field = (which: 'total' | 'added'): string => {
    if (typed.field === which) return typed.text;
    if (total === null) return '';
    return which === 'total' ? exactText(total) : `+${exactText(total - now)}`;
  };

  const giver = $derived(
    here.disk.partitions
      .filter(
        (partition) =>
          partition.role === 'data' && partition !== here.target && partition.first > here.target.first,
      )
      .map((partition) => ({ partition, spare: spareOf(here.disk, partition, keepFree) })),
  );

  const unallocatedBehind = $derived(
    unallocated(here.disk.usableRelocated, here.disk.partitions)
      .filter((gap) => gap.first >= endOf(here.target) && worthShowing(here.disk, gap))
      .reduce((sum, gap) => sum + bytesOf(here.disk, gap), 0),
  );

  let refusal = $state<Refusal | null>(null);
  let busy = $state(false);

  async function ask(version = job.version): Promise<void> {
    if (total === null || !keepGood) return;
    busy = true;
    const reply = await send<Saved>('PUT', `/api/v1/jobs/${job.number}/goal`, {
      version,
      size: total,
      keepFreePercent: keep,
    });
    busy = false;
    refusal = reply.ok ? null : reply.refusal;
    if (!reply.ok) return;
    if (tooMuch) await invalidateAll();
    else await goto(`/jobs/${job.number}/route`, { invalidateAll: true });
  }

  /** What stood in the way of the goal that was last asked for. */
  const stopped = $derived(
    job.answer && !job.answer.reached && job.goal && !job.goal.stale ? job.answer.findings : [],
  );
  const nothing = $derived(limit.reached ? [] : limit.findings);
</script>

<svelte:head><title>Target · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page middle">
  <h1>How much should {name} get?</h1>
  {#if most <= now}
    <p class="soft">With the offline mover {name} cannot get any more than it has. This is why:</p>
    <div class="cards">
      {#each nothing as finding (finding.code)}<FindingCard {finding} />{/each}
    </div>
  {:else}
    <div class="columns">
      <form
        onsubmit={(event) => {
          event.preventDefault();
          void ask();
        }}
        novalidate
      >
        <div class="pair">
          <label>
            <span>New total</span>
            <input
              class="input figure"
              value={field('total')}
              oninput={(event) => (typed = { field: 'total', text: event.currentTarget.value })}
              aria-invalid={message !== '' || tooMuch}
              aria-describedby="goal-says goal-limits"
              autocomplete="off"
              placeholder="200 GiB"
            />
          </label>
          <label>
            <span>Amount added</span>
            <input
              class="input figure"
              value={field('added')}
              oninput={(event) => (typed = { field: 'added', text: event.currentTarget.value })}
              aria-invalid={message !== '' || tooMuch}
              aria-describedby="goal-says goal-limits"
              autocomplete="off"
              placeholder="+80 GiB"
            />
          </label>
        </div>
        <p id="goal-says" class="says" class:error={message !== ''} aria-live="polite">
          {#if message}
            {message}
          {:else if total !== null && tooMuch}
            {formatSize(total)} is more than the most. You can ask all the same and see what stops it.
          {:else if total !== null}
            That is {formatSize(total)}, exactly <span class="figure">{formatMib(total)}</span>; {formatSize(
              total - now,
            )} more than now.
          {:else}
            A bare number means GiB, and GB is read as GiB. <span class="figure">40 %</span> asks for that share
            free.
          {/if}
        </p>

        <Slider
          value={[Math.round(Math.min(most, Math.max(least, total ?? now)) / MIB)]}
          min={Math.round(least / MIB)}
          max={Math.ceil(most / MIB)}
          step={1}
          onValueChange={({ value }) => slide((value[0] ?? 0) * MIB)}
          aria-label={['New total in MiB']}
        >
          <Slider.Control>
            <Slider.Track><Slider.Range /></Slider.Track>
            <Slider.Thumb index={0}><Slider.HiddenInput /></Slider.Thumb>
          </Slider.Control>
        </Slider>
        <p id="goal-limits" class="limits">
          <span
            >least <b class="figure">{formatSize(least)}</b><br /><span class="figure soft"
              >{formatMib(least)}</span
            ></span
          >
          <span class="most"
            >most <b class="figure">{formatSize(most)}</b><br /><span class="figure soft"
              >{formatMib(most)}</span
            ></span
          >
        </p>

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
            /> % of its size afterwards</span
          >
        </label>
        <p id="keep-says" class="error">{keepGood ? '' : 'Type a share from 0 to 95.'}</p>

        {#if refusal}<Refused {refusal} onoverwrite={(version) => void ask(version)} />{/if}
        <p class="go">
          <button class="btn action" disabled={total === null || !keepGood || busy}
            >{busy ? 'Planning …' : 'Find the route'}</button
          >
        </p>
      </form>

      <div class="picture">
        <Fill title="{name} now" size={now} {used} scale={Math.max(most, total ?? 0)} />
        {#if total !== null && !tooMuch}
          <Fill title="{name} afterwards" size={total} {used} scale={most} />
        {:else}
          <div class="blank">
            {tooMuch
              ? `${formatSize(total ?? 0)} is not there`
              : `${name} afterwards, once a size is asked for`}
          </div>
        {/if}
        <div>
          <h2>Where the room can come from</h2>
          <ul>
            <li>
              <span>Unallocated behind {name}, taken first</span>
              <span class="figure">{formatSize(unallocatedBehind)}</span>
            </li>
            {#each giver as { partition, spare } (partition.number)}
              <li>
                <span>{sentenceName(partition)}</span><span class="figure"
                  >{spare > 0 ? `up to ${formatSize(spare)}` : 'nothing to spare'}</span
                >
              </li>
            {/each}
          </ul>
        </div>
      </div>
    </div>
    {#if stopped.length > 0}
      <section aria-label="What stops it">
        <h2>
          {formatSize(job.goal!.size)} cannot be reached. The most is {formatSize(job.answer!.largest)}.
        </h2>
        <div class="cards">
          {#each stopped as finding (finding.code)}<FindingCard {finding} />{/each}
        </div>
      </section>
    {/if}
  {/if}
</main>

<style>
  .columns {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.1fr);
    gap: 3rem;
    align-items: start;
  }
  form {
    background: var(--card);
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    padding: 1.25rem 1.5rem;
  }
  .pair {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 1rem;
  }
  label > span:first-child {
    display: block;
    font-weight: 600;
    margin-bottom: 0.25rem;
  }
  .pair .input {
    font-size: 1.125rem;
  }
  .says {
    min-height: 3rem;
    padding: 0.375rem 0 0.5rem;
    font-size: 0.875rem;
    color: var(--ink-soft);
  }
  .says.error {
    color: var(--error);
  }
  .limits {
    display: flex;
    justify-content: space-between;
    font-size: 0.875rem;
    padding: 0.5rem 0 1.25rem;
  }
  .most {
    text-align: right;
  }
  .unit {
    display: flex;
    align-items: center;
    gap: 0.5rem;
    white-space: nowrap;
  }
  .unit .input {
    width: 5rem;
  }
  .go {
    padding-top: 0.25rem;
  }
  .picture {
    display: grid;
    gap: 1.5rem;
  }
  .blank {
    display: grid;
    place-items: center;
    height: 6.4rem;
    border: 1.5px dashed var(--dry-line);
    border-radius: 6px;
    color: var(--ink-soft);
  }
  li {
    display: flex;
    justify-content: space-between;
    gap: 1rem;
    padding: 0.375rem 0;
    border-top: 1px solid var(--line);
  }
  form :global([data-scope='slider'][data-part='range']) {
    background: var(--accent);
  }
  form :global([data-scope='slider'][data-part='thumb']) {
    background: var(--accent);
    border-color: var(--card);
    width: 1.375rem;
    height: 1.375rem;
  }
  form :global([data-scope='slider'][data-part='track']) {
    background: var(--line);
  }
  @media (max-width: 56rem) {
    .columns {
      grid-template-columns: minmax(0, 1fr);
      gap: 1.5rem;
    }
  }
</style>
