<script lang="ts">
  import type { Tool } from '$core/tools';
  import { FILE_SYSTEM_NAME, NAMED_FILE_SYSTEMS, type PartitionRole } from '$core/disk';

  import { ROLE_TAG } from '../chart/roles';

  interface Props {
    tool: Tool;
    /** Takes a change; absent for the tools that ship, which are examples to read. */
    ontool?: (tool: Tool) => void;
    onremove?: () => void;
    problem?: string;
  }
  let { tool, ontool, onremove, problem }: Props = $props();

  const ROLES = Object.keys(ROLE_TAG) as PartitionRole[];
  const fixed = $derived(!ontool);
  const change = (more: Partial<Tool>): void => ontool?.({ ...tool, ...more });
  const toggled = <T,>(list: readonly T[], one: T): T[] =>
    list.includes(one) ? list.filter((other) => other !== one) : [...list, one];
</script>

{#snippet choices<T extends string>(
  legend: string,
  all: readonly T[],
  names: Record<T, string>,
  list: readonly T[],
  take: (next: T[]) => void,
)}
  <fieldset>
    <legend>{legend}</legend>
    {#if fixed}
      <p>
        {list.length === 0
          ? 'nothing'
          : list.length === all.length
            ? 'everything'
            : list.map((one) => names[one]).join(', ')}
      </p>
    {:else}
      {#each all as one (one)}
        <label
          ><input
            type="checkbox"
            checked={list.includes(one)}
            onchange={() => take(toggled(list, one))}
          />{names[one]}</label
        >
      {/each}
    {/if}
  </fieldset>
{/snippet}

<li class:own={!fixed}>
  {#if fixed}
    <h3>{tool.name}</h3>
    <p class="soft">ships with Gentle Tide</p>
  {:else}
    <label class="name"
      ><span class="visually-hidden">Name of the tool</span><input
        class="input"
        value={tool.name}
        maxlength="60"
        aria-invalid={!!problem}
        onchange={(event) => change({ name: event.currentTarget.value })}
      /></label
    >
    {#if problem}<p class="error">{problem}</p>{/if}
  {/if}
  {@render choices('Extends', NAMED_FILE_SYSTEMS, FILE_SYSTEM_NAME, tool.extends, (next) =>
    change({ extends: next }),
  )}
  {@render choices('Shrinks', NAMED_FILE_SYSTEMS, FILE_SYSTEM_NAME, tool.shrinks, (next) =>
    change({ shrinks: next }),
  )}
  {@render choices('Moves', ROLES, ROLE_TAG, tool.moves, (next) =>
    change({ moves: next, movesAtRestart: tool.movesAtRestart.filter((role) => next.includes(role)) }),
  )}
  {@render choices('Moves at a restart only', ROLES, ROLE_TAG, tool.movesAtRestart, (next) =>
    change({ movesAtRestart: next }),
  )}
  <fieldset>
    <legend>How it works</legend>
    {#if fixed}
      <p>
        {tool.floor === 'offline' ? 'while Windows is down' : 'while Windows runs'};
        {tool.restartsPerRun === 0
          ? 'no restart of its own'
          : `${tool.restartsPerRun} restarts for each run`};
        {tool.touchesEncrypted ? 'encrypted volumes too' : 'leaves encrypted volumes alone'};
        {tool.resizesExtended ? 'resizes the extended partition' : 'no extended partition'}; counts disks from {tool.countsFrom}
      </p>
    {:else}
      <label
        >Works <select
          class="input"
          value={tool.floor}
          onchange={(event) => change({ floor: event.currentTarget.value as Tool['floor'] })}
          ><option value="running">while Windows runs</option><option value="offline">while it is down</option
          ></select
        ></label
      >
      <label
        >Restarts for each run <input
          class="input figure"
          type="number"
          min="0"
          max="5"
          value={tool.restartsPerRun}
          onchange={(event) =>
            change({
              restartsPerRun: Math.max(0, Math.min(5, Math.round(event.currentTarget.valueAsNumber || 0))),
            })}
        /></label
      >
      <label
        ><input
          type="checkbox"
          checked={tool.touchesEncrypted}
          onchange={() => change({ touchesEncrypted: !tool.touchesEncrypted })}
        />encrypted volumes too</label
      >
      <label
        ><input
          type="checkbox"
          checked={tool.resizesExtended}
          onchange={() => change({ resizesExtended: !tool.resizesExtended })}
        />the extended partition</label
      >
      <label
        >Counts disks from <select
          class="input"
          value={String(tool.countsFrom)}
          onchange={(event) => change({ countsFrom: event.currentTarget.value === '0' ? 0 : 1 })}
          ><option>0</option><option>1</option></select
        ></label
      >
    {/if}
  </fieldset>
  {#if fixed}
    {#if tool.notes}<p class="soft">{tool.notes}</p>{/if}
  {:else}
    <label class="notes"
      >Notes for the work sheet<textarea
        class="input"
        rows="3"
        maxlength="1000"
        value={tool.notes}
        onchange={(event) => change({ notes: event.currentTarget.value })}
      ></textarea></label
    >
    <button type="button" class="btn btn-sm quiet" onclick={onremove}>Take it away</button>
  {/if}
</li>

<style>
  li {
    display: grid;
    gap: 0.625rem;
    align-content: start;
    padding: 0.875rem 1rem 1rem;
    border-left: 2px solid var(--line-strong);
    font-size: 0.875rem;
  }
  .own {
    border-color: var(--accent);
  }
  h3 {
    font-weight: 700;
    font-size: 1rem;
  }
  legend {
    font-weight: 600;
  }
  fieldset {
    display: flex;
    flex-wrap: wrap;
    gap: 0.125rem 0.75rem;
  }
  label {
    display: inline-flex;
    align-items: center;
    gap: 0.375rem;
  }
  .notes {
    display: grid;
  }
  .input {
    padding: 0.1875rem 0.5rem;
    font-size: 0.875rem;
    width: auto;
  }
  .name .input,
  textarea.input {
    width: 100%;
  }
  input[type='number'] {
    width: 4rem;
  }
  .btn {
    justify-self: start;
  }
</style>
