<script lang="ts">
  import { DIRECTIONS, stackStrata, walkStrata, drawWater, type Stratum } from '$core/chart';
  import type { HoldingsTree } from '$core/holdings';
  import { formatShare, formatSize } from '$core/units';
  import { tick } from 'svelte';
  import type { Paint } from '../chart/roles';

  interface Props {
    tree: HoldingsTree;
    /** What the volume is called. */
    name: string;
    /** What the volume is for, which gives it its colour. */
    paint: Paint;
    /** Bytes free in the volume. */
    free: number;
    /** Place of the folder that lies on top. */
    opened: number;
    /** Paths of what can go, and whether it is ticked. */
    goes: ReadonlyMap<string, boolean>;
    onopen: (place: number) => void;
  }
  let { tree, name, paint, free, opened, goes, onopen }: Props = $props();

  const all = $derived(stackStrata(tree, opened));
  const layers = $derived(Math.max(...all.map(({ layer }) => layer)) + 1);
  let at = $state('');
  /** The one that the keyboard is at; the top where the chart has changed. */
  const here = $derived(all.some(({ key }) => key === at) ? at : all[0]!.key);
  let field: HTMLDivElement;

  /** `goes`: ticked; `could`: can go and is not ticked; else it stays. */
  function fate(one: Stratum): 'goes' | 'could' | 'stays' {
    for (let path = one.path; path !== ''; path = path.slice(0, path.lastIndexOf('\\'))) {
      const ticked = goes.get(path);
      if (ticked !== undefined) return ticked ? 'goes' : 'could';
    }
    return 'stays';
  }
  const FATE = { goes: ', ticked to go', could: ', can go', stays: '' };
  const shownName = (one: Stratum): string => (one.place === 0 ? `All of ${name}` : one.name);
  const opens = (one: Stratum): boolean =>
    one.place !== null &&
    (one.layer > 0 ? tree.foldersIn(one.place).length + tree.filesOf(one.place).length > 0 : opened !== 0);

  async function press(event: KeyboardEvent, one: Stratum): Promise<void> {
    const direction = DIRECTIONS[event.key];
    if (event.key === 'Backspace' && opened !== 0) await open(tree.folder(opened).in!);
    else if (direction) {
      at = walkStrata(all, one.key, direction);
      await tick();
      focus();
    } else return;
    event.preventDefault();
  }
  const focus = (): void => field.querySelector<HTMLElement>('[tabindex="0"]')?.focus();
  /** The top leads up again. */
  async function choose(one: Stratum): Promise<void> {
    at = one.key;
    if (opens(one)) await open(one.layer === 0 ? tree.folder(opened).in! : one.place!);
  }
  async function open(place: number): Promise<void> {
    at = `f${place}`;
    onopen(place);
    await tick();
    focus();
  }
</script>

<div
  class="strata"
  role="group"
  aria-label="What fills {name}, in layers: arrows walk, Enter opens a folder, Backspace leads back up"
  bind:this={field}
  style:--layers={layers}
  style:--line="var(--{paint}-line)"
  style:--water="var(--{paint}-water)"
  style:--bed="var(--{paint}-bed)"
>
  <div class="air" aria-hidden="true">
    <span>{opened === 0 ? `${formatSize(free)} free` : ''}</span>
    <svg viewBox="0 0 1000 10" preserveAspectRatio="none"
      ><path d={drawWater({ x: 0, y: 0, width: 1000, height: 10 }, 0.5)} /></svg
    >
  </div>
  {#each all as one (one.key)}
    <button
      type="button"
      class={fate(one)}
      class:beside={one.path === ''}
      class:file={one.place === null && one.path !== ''}
      class:top={one.layer === 0}
      style:left="{one.x * 100}%"
      style:width="{one.width * 100}%"
      style:--layer={one.layer}
      tabindex={one.key === here ? 0 : -1}
      title="{one.place === 0 ? name : one.path || one.name}: {formatSize(one.bytes)}"
      aria-label="{shownName(one)}, {formatSize(one.bytes)}, {formatShare(one.bytes, all[0]!.bytes)}{FATE[
        fate(one)
      ]}{opens(one) ? '' : ', nothing named within'}"
      onkeydown={(event) => press(event, one)}
      onclick={() => choose(one)}
    >
      <span class="name">{shownName(one)}</span>
      <span class="figure">{formatSize(one.bytes)}</span>
    </button>
  {/each}
</div>
<p class="legend" style:--line="var(--{paint}-line)">
  <span><i class="key stays"></i>stays</span>
  <span><i class="key could"></i>can go</span>
  <span><i class="key goes"></i>ticked to go</span>
  <span><i class="key beside"></i>no folder</span>
</p>

<style>
  .strata {
    position: relative;
    height: calc(var(--layers) * 3.5rem + 1.75rem);
    border: 1.5px solid var(--line);
    border-radius: 0.5rem;
    background: var(--bed);
    overflow: hidden;
  }
  button {
    position: absolute;
    top: calc(var(--layer) * 3.5rem + 1.75rem);
    height: 3.5rem;
    padding: 0.3125rem 0.5rem;
    container-type: inline-size;
    display: grid;
    align-content: start;
    text-align: left;
    line-height: 1.3;
    overflow: hidden;
    color: #fff;
    background: color-mix(in oklab, var(--line) calc(100% - var(--layer) * 9%), var(--water));
    border: solid var(--paper);
    border-width: 0 1.5px 1.5px 0;
  }
  .air {
    position: absolute;
    inset: 0 0 auto;
    height: 1.75rem;
    padding: 0.125rem 0.625rem;
    text-align: right;
    font-size: 0.8125rem;
    color: var(--ink-soft);
    background-color: var(--paper);
    background-image: radial-gradient(var(--dry-dot) 1.2px, transparent 1.4px);
    background-size: 8px 8px;
  }
  .air span {
    background: var(--paper);
    padding: 0 0.25rem;
  }
  .air svg {
    position: absolute;
    inset: auto 0 -1px;
    width: 100%;
    height: 0.625rem;
    fill: var(--line);
  }
  .could span,
  .goes span,
  .beside span {
    justify-self: start;
    max-width: 100%;
    padding-right: 0.125rem;
    background: var(--paper);
  }
  .could span {
    background: var(--card);
  }
  @container (max-width: 4.25rem) {
    .figure {
      visibility: hidden;
    }
  }
  @container (max-width: 3.25rem) {
    span {
      visibility: hidden;
    }
  }
  .name,
  button .figure {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: 0.8125rem;
  }
  .name {
    font-weight: 650;
  }
  .top .name {
    font-size: 0.9375rem;
  }
  button:hover {
    filter: brightness(1.12);
  }
  button:focus-visible {
    outline-offset: -4px;
    outline-color: var(--focus);
    z-index: 1;
  }
  .beside {
    color: var(--ink);
    background-color: var(--reserved-bed);
    background-image: repeating-linear-gradient(
      135deg,
      color-mix(in srgb, var(--reserved-line) 35%, transparent) 0 1px,
      transparent 1px 8px
    );
  }
  .could {
    color: var(--ink);
    background-color: var(--card);
    background-image: repeating-linear-gradient(
      0deg,
      color-mix(in srgb, var(--ink-soft) 38%, transparent) 0 1px,
      transparent 1px 7px
    );
  }
  .goes {
    color: var(--ink-soft);
    background-color: var(--paper);
    background-image: radial-gradient(var(--dry-dot) 1.2px, transparent 1.4px);
    background-size: 8px 8px;
    text-decoration: line-through;
  }
  .file {
    border-bottom-left-radius: 0.5rem;
    border-bottom-right-radius: 0.5rem;
  }
  :global([data-mode='dark']) button:not(.beside, .could, .goes) {
    background: color-mix(in oklab, var(--water) calc(100% - var(--layer, 0) * 9%), var(--bed));
  }
  :global([data-mode='dark']) .air svg {
    background: none;
    fill: var(--water);
  }
  .legend {
    display: flex;
    flex-wrap: wrap;
    gap: 0.25rem 1.25rem;
    padding-top: 0.5rem;
    font-size: 0.8125rem;
    color: var(--ink-soft);
  }
  .legend span {
    display: flex;
    align-items: center;
    gap: 0.375rem;
  }
  .key {
    width: 1.25rem;
    height: 0.875rem;
    border: 1px solid var(--line-strong);
    border-radius: 2px;
  }
  .key.stays {
    background: var(--line);
  }
</style>
