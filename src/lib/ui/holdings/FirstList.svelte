<script lang="ts">
  import { ruleOf, type Freeable, type Movable, type Sureness, type VolumePlace } from '$core/holdings';
  import { formatSize } from '$core/units';
  import type { FirstForm } from './firstForm.svelte';

  interface Props {
    form: FirstForm;
    place: VolumePlace;
    goes: readonly Freeable[];
    moves: readonly Movable[];
    /** Other volumes that folders can move to, with what is free there. */
    others: readonly { place: VolumePlace; name: string; free: number }[];
  }
  let { form, place, goes, moves, others }: Props = $props();
  const id = $props.id();

  const choice = $derived(form.choice(place));
  const SURE: Record<Sureness, string> = {
    'made-anew': 'made anew where needed',
    'look-first': 'look first',
    'owner-says': 'the owner says',
  };
  const key = (to: VolumePlace | undefined): string => (to ? `${to.disk} ${to.partition}` : '');
  const whereTo = (path: string): string => key(choice.moves.find((one) => one.path === path)?.to);
</script>

<ul aria-label="What can go first">
  {#each goes as one (one.id)}
    {@const rule = ruleOf(one.id)}
    {#if rule}
      <li class:ticked={choice.goes.includes(one.id)}>
        <input
          id="{id}-{one.id}"
          type="checkbox"
          checked={choice.goes.includes(one.id)}
          aria-describedby="{id}-{one.id}-lost"
          onchange={() => void form.tick(place, one.id)}
        />
        <div>
          <label for="{id}-{one.id}">{rule.name}</label>
          <span class="sure {rule.sure}">{SURE[rule.sure]}</span>
          <p id="{id}-{one.id}-lost" class="soft">{rule.what} <b>Lost:</b> {rule.lost}</p>
          <details>
            <summary>How it goes, and where it lies</summary>
            <ol>
              {#each rule.how as line, i (i)}<li>{line}</li>{/each}
            </ol>
            {#if rule.script}<pre class="figure">{rule.script.join('\n')}</pre>{/if}
            <ul class="places">
              {#each one.places as where, i (i)}
                <li><span>{where.path}</span><span class="figure">{formatSize(where.bytes)}</span></li>
              {/each}
            </ul>
          </details>
        </div>
        <b class="figure size">{formatSize(one.bytes)}</b>
      </li>
    {/if}
  {:else}
    <li class="none soft">Nothing was found here that could go.</li>
  {/each}
</ul>

{#if moves.length > 0}
  <h3>Folders of people that could move to another volume</h3>
  <ul aria-label="Folders that could move">
    {#each moves as one, i (i)}
      <li class="move">
        <label for="{id}-{one.path}">{one.path}</label>
        <span class="figure">{formatSize(one.bytes)}</span>
        <select
          id="{id}-{one.path}"
          class="input"
          value={whereTo(one.path)}
          disabled={others.length === 0}
          onchange={(event) => {
            const to = others.find((other) => key(other.place) === event.currentTarget.value);
            void form.move(place, one.path, to?.place ?? null);
          }}
        >
          <option value="">stays here</option>
          {#each others as other (key(other.place))}
            <option value={key(other.place)}>moves to {other.name}, {formatSize(other.free)} free</option>
          {/each}
        </select>
      </li>
    {/each}
  </ul>
  {#if others.length === 0}<p class="soft">This machine has no other volume that they could move to.</p>{/if}
{/if}

<style>
  ul {
    display: grid;
  }
  ul[aria-label] > li {
    display: grid;
    grid-template-columns: auto minmax(0, 1fr) auto;
    gap: 0 0.75rem;
    align-items: start;
    padding: 0.5rem 0.25rem;
    border-top: 1px solid var(--line);
  }
  li.ticked {
    background: var(--chip-accent);
  }
  input[type='checkbox'] {
    width: 1.125rem;
    height: 1.125rem;
    margin-top: 0.1875rem;
  }
  label {
    font-weight: 650;
  }
  .sure {
    margin-left: 0.5rem;
    padding: 0.0625rem 0.5rem;
    border-radius: 1rem;
    font-size: 0.75rem;
    font-weight: 600;
    background: var(--chip);
    color: var(--chip-ink);
    white-space: nowrap;
  }
  .sure.owner-says {
    background: none;
    border: 1.5px dashed var(--exposed);
    color: var(--exposed);
  }
  .sure.look-first {
    background: none;
    border: 1.5px solid var(--data-line);
    color: var(--ink);
  }
  p {
    font-size: 0.875rem;
  }
  .size {
    font-size: 1.0625rem;
    white-space: nowrap;
  }
  details {
    font-size: 0.8125rem;
  }
  ol {
    list-style: decimal;
    padding: 0.25rem 0 0.25rem 1.25rem;
  }
  pre {
    padding: 0.375rem 0.625rem;
    background: var(--sheet);
    border: 1px solid var(--line);
    border-radius: 0.375rem;
    white-space: pre-wrap;
  }
  .places li {
    display: flex;
    justify-content: space-between;
    gap: 1rem;
    overflow-wrap: anywhere;
  }
  .places .figure {
    white-space: nowrap;
  }
  h3 {
    font-weight: 650;
    padding: 1rem 0 0.375rem;
  }
  ul[aria-label] > li.move {
    grid-template-columns: minmax(0, 1fr) auto 18rem;
    align-items: center;
  }
  .move label {
    overflow-wrap: anywhere;
  }
  ul[aria-label] > li.none {
    display: block;
  }
  @media (max-width: 56rem) {
    ul[aria-label] > li.move {
      grid-template-columns: minmax(0, 1fr) auto;
    }
  }
</style>
