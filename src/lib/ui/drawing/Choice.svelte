<script lang="ts">
  import type { Intent } from '$core/steps';
  import {
    giving,
    GIVEN_AT_FIRST,
    placed,
    following,
    type PlaceFigure,
    type GivenFigures,
  } from '$core/byHand';
  import { findExtent } from '$core/chart';
  import { bytesOf, endOf, nameInSentence, type Disk, type Extent, type Partition } from '$core/disk';
  import {
    applyEdit,
    follow,
    makeIntentsTo,
    listOffers,
    listOffersInGap,
    listOffersOnDisk,
    type Offer,
  } from '$core/drawing';
  import { formatMib, formatSize } from '$core/units';
  import SizeField from '../byHand/SizeField.svelte';
  import type { DrawingStore } from './drawingStore.svelte';
  import type { DragController } from './dragController.svelte';

  /** What is chosen on the board, with its exact figures and all that can be done to it. */
  let {
    store,
    drag,
    disk,
    strips,
  }: { store: DrawingStore; drag: DragController; disk: Disk; strips: number } = $props();

  const spot = $derived(drag.chosen);
  const strip = $derived(Math.min(spot?.strip ?? strips - 1, strips - 1));
  const here = $derived(drag.stateAt(strip));
  const partition = $derived<Partition | null>(spot ? drag.partitionAt(strip, spot.key) : null);
  const bed = $derived<Extent | null>(spot && !partition ? findExtent(disk, here, spot.key) : null);
  const extent = $derived<Extent | null>(partition ?? bed);
  const result = $derived(
    strip === 0 ? 'as found' : strip === strips - 1 ? 'as left' : `after step ${strip}`,
  );
  const { task, kit } = $derived(store.at);

  const offers = $derived.by((): Offer[] => {
    const own = partition
      ? listOffers(task, kit, here, partition)
      : bed
        ? listOffersInGap(task, kit, here, bed)
        : [];
    return [...own, ...listOffersOnDisk(task, kit, here)];
  });

  let given = $state.raw<GivenFigures>(GIVEN_AT_FIRST);

  /** Takes over a typed extent as steps, or says why it can't be. */
  function bringTo(to: Extent): string | undefined {
    if (!partition) return undefined;
    return add(makeIntentsTo(partition, to));
  }

  function add(intents: readonly Intent[]): string | undefined {
    const at = drag.placeOf(strip);
    const next = applyEdit(store.drawing, { kind: 'add', at, intents });
    const made = follow(task, kit, next).results.slice(at, at + intents.length);
    const refused = made.find((one) => one.kind === 'refused');
    if (refused) return refused.reason;
    store.put(next);
    const key =
      partition && intents.every((intent) => intent.verb !== 'delete' && intent.verb !== 'set-aside')
        ? `p${partition.number}`
        : '';
    drag.chosen = { strip: strip + intents.length, key };
    return undefined;
  }

  function give(figure: PlaceFigure, bytes: number | null): string | undefined {
    if (!partition || bytes === null) return undefined;
    const held = given.find((one) => one !== figure)!;
    const to = placed(disk, partition, figure, bytes, held);
    if (!to) return 'Nothing would be left of it, or it would start before the disk does.';
    const refused = bringTo(to);
    if (!refused) given = giving(figure, given);
    return refused;
  }

  let asking = $state<Offer | null>(null);
  let word = $state('');
  let typedName = $state('');
  let said = $state('');
  function run(offer: Offer): void {
    said = '';
    if (offer.reason) return;
    if (!offer.asks) {
      said = add(offer.intents) ?? '';
      return;
    }
    asking = offer;
    word = '';
    typedName = '';
  }
  function confirm(): void {
    const name = asking?.asks?.name ?? null;
    if (!asking || word.trim() === '' || (name !== null && typedName.trim() !== name)) return;
    const intents = asking.intents.map((intent): Intent =>
      intent.verb === 'delete' ? { ...intent, word: word.trim() } : intent,
    );
    said = add(intents) ?? '';
    asking = null;
  }
  $effect(() => {
    void spot;
    asking = null;
    said = '';
  });

  /** Runs an offer by key, where there is one that can be. */
  export function offer(id: string): boolean {
    const one = offers.find((candidate) => candidate.id === id || candidate.id.startsWith(`${id} `));
    if (!one) return false;
    if (one.reason) said = one.reason;
    else run(one);
    return true;
  }
</script>

<section aria-label="What is chosen">
  {#if !extent}
    <p class="soft">
      Choose a partition or a dry bed. Drag its ends or the whole of it, or take hold of it with L, W and R.
    </p>
  {:else}
    <h2>{partition ? nameInSentence(partition) : 'Unallocated'} <span>{result}</span></h2>
    <p class="figure size">
      {formatSize(bytesOf(disk, extent))} · {formatMib(bytesOf(disk, extent), disk.sectorSize)}
    </p>
    {#if partition && partition.kind !== 'extended'}
      {#key `${partition.number} ${extent.first} ${extent.sectors} ${strip}`}
        <div class="fields">
          <SizeField
            label="Start"
            bytes={extent.first * disk.sectorSize}
            follows={following(given) === 'start'}
            ongive={(bytes) => give('start', bytes)}
          />
          <SizeField
            label="End"
            bytes={endOf(extent) * disk.sectorSize}
            follows={following(given) === 'end'}
            ongive={(bytes) => give('end', bytes)}
          />
          <SizeField
            label="Size"
            bytes={bytesOf(disk, extent)}
            follows={following(given) === 'size'}
            ongive={(bytes) => give('size', bytes)}
          />
          <SizeField
            label="Add"
            bytes={0}
            ongive={(bytes) => give('size', bytesOf(disk, extent) + (bytes ?? 0))}
          />
          <SizeField
            label="Take"
            bytes={0}
            ongive={(bytes) => give('size', bytesOf(disk, extent) - (bytes ?? 0))}
          />
        </div>
      {/key}
    {/if}
  {/if}
  <ul class="offers" aria-label="What can be done">
    {#each offers as one (one.id)}
      <li>
        <button class="btn quiet" aria-disabled={one.reason !== ''} onclick={() => run(one)}
          >{one.label}</button
        >
        {#if one.reason}<small>{one.reason}</small>{/if}
      </li>
    {/each}
  </ul>
  {#if asking}
    <form
      class="ask"
      onsubmit={(event) => {
        event.preventDefault();
        confirm();
      }}
    >
      <b>{asking.label} {partition ? nameInSentence(partition) : ''}</b>
      <label
        >Who allowed it<input
          class="input"
          bind:value={word}
          placeholder="the owner, by phone"
          maxlength="200"
        /></label
      >
      {#if asking.asks?.name}
        <label
          >Its files are lost. Type its name, {asking.asks.name}<input
            class="input"
            bind:value={typedName}
            autocomplete="off"
          /></label
        >
      {/if}
      <div class="row">
        <button
          class="btn action"
          disabled={word.trim() === '' ||
            (asking.asks?.name !== null && typedName.trim() !== asking.asks?.name)}
          >Delete it in the drawing</button
        >
        <button type="button" class="btn quiet" onclick={() => (asking = null)}>Keep it</button>
      </div>
    </form>
  {/if}
  {#if said}<p class="error" role="alert">{said}</p>{/if}
</section>

<style>
  h2 span {
    font-weight: 400;
    color: var(--ink-soft);
    font-size: 0.875rem;
  }
  .size {
    margin: 0.125rem 0 0.5rem;
    font-size: 0.9375rem;
  }
  .fields {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.375rem 0.75rem;
  }
  .offers {
    display: grid;
    gap: 0.25rem;
    margin: 0.625rem 0 0;
  }
  .offers .btn {
    width: 100%;
    text-align: left;
    justify-content: flex-start;
    padding: 0.25rem 0.625rem;
    font-size: 0.875rem;
  }
  .offers .btn[aria-disabled='true'] {
    opacity: 0.6;
    cursor: not-allowed;
  }
  small {
    display: block;
    font-size: 0.7813rem;
    color: var(--ink-soft);
    padding: 0.125rem 0.625rem 0.25rem;
    line-height: 1.3;
  }
  .ask {
    display: grid;
    gap: 0.5rem;
    margin-top: 0.625rem;
    padding: 0.625rem;
    border: 2px solid var(--exposed);
    border-radius: 0.5rem;
  }
  .ask label {
    display: grid;
    gap: 0.1875rem;
    font-size: 0.8438rem;
  }
  .row {
    display: flex;
    gap: 0.5rem;
  }
  .error {
    margin-top: 0.5rem;
    font-size: 0.875rem;
  }
</style>
