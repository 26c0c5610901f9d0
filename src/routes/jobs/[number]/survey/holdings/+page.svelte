<script lang="ts">
  import { invalidateAll } from '$app/navigation';
  import { nameInSentence } from '$core/disk';
  import { HoldingsTree, isAt, partitionsOf, type Holdings } from '$core/holdings';
  import { machineOf } from '$core/survey';
  import { formatShare, formatSize } from '$core/units';
  import { paintOf } from '$ui/chart/roles';
  import FirstList from '$ui/holdings/FirstList.svelte';
  import { FirstForm, WANTED_FREE } from '$ui/holdings/firstForm.svelte';
  import HowToKnow from '$ui/holdings/HowToKnow.svelte';
  import Largest from '$ui/holdings/Largest.svelte';
  import Strata from '$ui/holdings/Strata.svelte';
  import Refused from '$ui/Refused.svelte';
  import { utc } from '$ui/survey/surveyLine';
  import Switch from '$ui/Switch.svelte';
  import { call } from '$contract/client';
  import { untrack } from 'svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const machine = $derived(machineOf(job.survey!.document));
  const form = untrack(() => new FirstForm(() => data.job, invalidateAll));

  let holdings = $state.raw<Holdings | null>(null);
  let message = $state('');
  const surveyId = $derived(job.survey!.id);
  const known = $derived(job.holdings !== null);
  $effect(() => {
    void surveyId;
    if (known) void fetchThem();
  });
  async function fetchThem(): Promise<void> {
    const reply = await call('GET /jobs/{number}/holdings', { number: untrack(() => job.number) });
    if (reply.ok) holdings = reply.value;
    message = reply.ok ? '' : 'What fills the volumes could not be fetched. Load the page again.';
  }

  const named = $derived(
    (holdings?.volumes ?? []).map((volume) => {
      const disk = machine.disks.find(({ number }) => number === volume.disk);
      const partition = disk?.partitions.find(({ number }) => number === volume.partition);
      return {
        volume,
        key: `${volume.disk} ${volume.partition}`,
        name: partition ? nameInSentence(partition) : `partition ${volume.partition}`,
        paint: partition ? paintOf(partition) : ('data' as const),
      };
    }),
  );
  let chosen = $state('');
  const targetKey = $derived(job.target ? `${job.target.disk} ${job.target.partition}` : '');
  const at = $derived(
    named.find(({ key }) => key === chosen) ?? named.find(({ key }) => key === targetKey) ?? named[0] ?? null,
  );
  const tree = $derived(at && new HoldingsTree(at.volume));
  const found = $derived(at && (form.found.find((one) => isAt(one, at.volume)) ?? null));
  const choice = $derived(at && form.choice(at.volume));
  const sum = $derived(at && form.sum(at.volume));
  let opened = $state(0);
  const openedHere = $derived(tree && opened < tree.volume.folders.length ? opened : 0);

  const goes = $derived(
    new Map(
      found?.goes.flatMap(({ id, places }) =>
        places.map(({ path }) => [path, choice?.goes.includes(id) ?? false] as const),
      ) ?? [],
    ),
  );
  const others = $derived(
    partitionsOf(job.survey!.document).flatMap((one) => {
      const partition = machine.disks
        .find(({ number }) => number === one.disk)
        ?.partitions.find(({ number }) => number === one.partition);
      return at && partition?.role === 'data' && one.volume?.used != null && !isAt(one, at.volume)
        ? [
            {
              place: { disk: one.disk, partition: one.partition },
              name: nameInSentence(partition),
              free: one.volume.size - one.volume.used,
            },
          ]
        : [];
    }),
  );

  const free = $derived(at && sum ? at.volume.size - sum.stays : 0);
  const wanted = $derived(at ? Math.ceil(at.volume.size * WANTED_FREE) : 0);
  const canGo = $derived(found?.goes.reduce((all, one) => all + one.bytes, 0) ?? 0);
  const crumbs = $derived(tree ? tree.upwards(openedHere).reverse() : []);
</script>

<svelte:head><title>What fills it · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page">
  <div class="page-top">
    <div>
      <h1>What fills {at?.name ?? 'the volumes'}</h1>
      {#if at && job.holdings}
        <p class="soft">
          {formatSize(at.volume.used)} of {formatSize(at.volume.size)} in use · looked at {utc(
            job.holdings.takenAt,
          )} UTC · {at.volume.measure === 'clusters'
            ? 'sizes by the clusters that belong to each file'
            : 'sizes by the lengths of files'}{at.volume.unread > 0
            ? ` · ${at.volume.unread} could not be read`
            : ''}
        </p>
      {/if}
    </div>
    <div class="go">
      {#if named.length > 1 && at}
        <Switch
          label="Volume"
          bind:value={() => at.key, (key) => ((chosen = key), (opened = 0))}
          choices={named.map(({ key, name }) => [key, name] as const)}
        />
      {/if}
      <a class="btn quiet" href="/jobs/{job.number}/survey">Back to the survey</a>
    </div>
  </div>

  {#if !job.holdings}
    <HowToKnow number={job.number} />
  {:else if message}
    <p role="alert" class="error">{message}</p>
  {:else if !at || !tree}
    <p role="status" class="soft">Fetching what fills it</p>
  {:else}
    <div class="columns">
      <section aria-label="By folder">
        <nav aria-label="Folder">
          {#each crumbs as place, i (place)}
            {#if i > 0}<span class="soft">\</span>{/if}
            {#if place === openedHere}<b>{place === 0 ? at.name : tree.folder(place).name}</b>
            {:else}<button type="button" onclick={() => (opened = place)}
                >{place === 0 ? at.name : tree.folder(place).name}</button
              >{/if}
          {/each}
        </nav>
        <Strata
          {tree}
          name={at.name}
          paint={at.paint}
          free={at.volume.size - at.volume.used}
          opened={openedHere}
          {goes}
          onopen={(place) => (opened = place)}
        />
      </section>
      <Largest {tree} opened={openedHere} takenAt={holdings!.takenAt} onopen={(place) => (opened = place)} />
    </div>

    <section aria-label="What can go first">
      <div class="head">
        <div>
          <h2>What can go first: {formatSize(canGo)} in all</h2>
          <p class="soft">
            Ticked ones become the first checks of the work sheet, before the backup is made.
          </p>
        </div>
        {#if sum}
          <p class="sum" class:enough={free >= wanted} role="status">
            {#if sum.goes + sum.moved === 0}
              Nothing is ticked: {at.name} has <b>{formatShare(free, at.volume.size)} free</b>.
            {:else if free >= wanted}
              With these, {at.name} has <b>{formatShare(free, at.volume.size)} free</b> ({formatSize(free)}),
              and nothing has to move.
            {:else}
              With these, {at.name} has <b>{formatShare(free, at.volume.size)} free</b>. For {WANTED_FREE *
                100} % it needs
              {formatSize(wanted - free)} more.
            {/if}
          </p>
        {/if}
      </div>
      {#if form.refusal}<Refused
          refusal={form.refusal}
          onoverwrite={(version) => void form.overwrite(version)}
        />{/if}
      <FirstList {form} place={at.volume} goes={found?.goes ?? []} moves={found?.moves ?? []} {others} />
    </section>
  {/if}
</main>

<style>
  .go {
    display: flex;
    flex-wrap: wrap;
    justify-content: end;
    align-items: center;
    gap: 0.75rem;
  }
  .columns {
    display: grid;
    grid-template-columns: minmax(0, 1.75fr) minmax(0, 1fr);
    gap: 1.5rem;
  }
  section {
    min-width: 0;
  }
  nav {
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem;
    min-height: 2.25rem;
    align-items: center;
    overflow-wrap: anywhere;
  }
  nav button {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  .head {
    position: sticky;
    top: 0;
    z-index: 2;
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 0.5rem 1.5rem;
    align-items: center;
    padding: 0.5rem 0;
    background: var(--paper);
  }
  .head h2 {
    margin: 0;
    font-size: 1.125rem;
  }
  .sum {
    max-width: 34rem;
    padding: 0.5rem 0.875rem;
    border-radius: 0.5rem;
    border: 1.5px solid var(--line-strong);
    background: var(--card);
  }
  .sum.enough {
    border-color: var(--good);
  }
  @media (max-width: 60rem) {
    .columns,
    .head {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
