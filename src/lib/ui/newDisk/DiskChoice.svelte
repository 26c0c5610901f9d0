<script lang="ts">
  import { diskBytes } from '$core/disk';
  import { formatCount, formatSize, GIB } from '$core/units';
  import { inYears, formatMonthRange } from '$ui/target/dates';
  import type { Candidate, LargerDisks } from './choices';

  interface Props {
    disks: LargerDisks;
    /** What the target is called, and its bytes on the old disk. */
    name: string;
    now: number;
    chosen: string;
    onchoose: (id: string) => void;
  }
  let { disks, name, now, chosen, onchoose }: Props = $props();

  const growth = $derived(disks.growth);
  const beside = $derived(disks.candidates.filter(({ number }) => number !== null));
  const bought = $derived(disks.candidates.filter(({ number }) => number === null));
  const first = $derived(bought.find(({ enough }) => enough)?.id);
  const diskOf = (number: number | null) => disks.task.machine.disks.find((one) => one.number === number)!;
  const identity = (number: number | null): string => {
    const { model, serial } = diskOf(number);
    return [model, serial && `serial ${serial}`].filter(Boolean).join(', ');
  };
</script>

{#snippet choice(one: Candidate, title: string, detail: string)}
  <label class:off={one.size === null} class:taken={one.id === chosen}>
    <input
      type="radio"
      name="disk"
      checked={one.id === chosen}
      disabled={one.size === null}
      onchange={() => onchoose(one.id)}
    />
    <span class="what">
      <b>{title}</b>
      {#if detail}<span class="soft">{detail}</span>{/if}
      {#if one.size === null}<span class="soft">{one.reason}</span>{/if}
    </span>
    {#if one.size !== null}
      <span class="gets">
        <span class="figure">{name} {formatSize(one.size)}</span>
        {#if one.full}<span class="soft"
            >{one.full.early === null
              ? 'no end in sight'
              : `full ${formatMonthRange(one.full, disks.now)}`}</span
          >{/if}
        {#if one.id === first}<span class="chip"
            >{growth
              ? `the smallest that lasts ${inYears(disks.years)}`
              : 'the smallest with what was asked for'}</span
          >{/if}
      </span>
    {/if}
  </label>
{/snippet}

<p class="soft">
  {#if growth && growth.middle > 0}
    {name} has {formatSize(now)} and fills by {(growth.middle / GIB).toFixed(1)} GiB a year{growth.by ===
    'ages'
      ? ', roughly, by the ages of its files'
      : ''}.
  {:else if growth}{name} does not fill, as far as its surveys tell.
  {:else}How fast {name} fills is not known: there is one survey of it, and nothing of what fills it.{/if}
</p>
<div class="choices">
  <fieldset>
    <legend>Connected to this machine</legend>
    {#each beside as one (one.id)}
      {@render choice(
        one,
        `Disk ${one.number}, ${formatSize(diskBytes(diskOf(one.number)))}`,
        identity(one.number),
      )}
    {:else}
      <p class="soft">No second disk. Connect it, and survey the machine again.</p>
    {/each}
  </fieldset>
  <fieldset>
    <legend>To be bought</legend>
    {#each bought as one (one.id)}{@render choice(one, `${formatCount(one.gb!)} GB`, '')}
    {:else}
      <p class="soft">None of those that are sold would give {name} more.</p>
    {/each}
  </fieldset>
</div>

<style>
  .choices {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 1.5rem;
    align-items: start;
  }
  legend {
    font-weight: 650;
    padding-bottom: 0.375rem;
  }
  label {
    display: flex;
    align-items: center;
    gap: 0.75rem;
    padding: 0.5rem 0.75rem;
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    background: var(--card);
  }
  label + label {
    margin-top: 0.375rem;
  }
  .taken {
    border-color: var(--accent);
  }
  .off {
    background: none;
  }
  .what,
  .gets {
    display: flex;
    flex-direction: column;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .gets {
    margin-left: auto;
    flex: none;
    align-items: end;
    max-width: 60%;
  }
  .soft {
    font-size: 0.875rem;
  }
  .chip {
    padding: 0.0625rem 0.5rem;
    border-radius: 0.375rem;
    font-size: 0.8125rem;
    font-weight: 600;
    background: var(--chip-accent);
    color: var(--accent-ink);
  }
  @media (max-width: 60rem) {
    .choices {
      grid-template-columns: 1fr;
    }
  }
</style>
