<script lang="ts">
  import { findModule, numberOf } from '$core/steps';
  import { dndzone, type DndEvent } from 'svelte-dnd-action';
  import { plainName, type Disk } from '$core/disk';
  import { joined, type StepResult } from '$core/drawing';
  import { formatDuration, formatSize } from '$core/units';
  import { stepName } from '../chart/stepName';
  import type { DrawingStore } from './drawingStore.svelte';
  import StepFigures from './StepFigures.svelte';

  /** The steps of the drawing, done or not: put in order, switched off, given a tool, joined, removed. */
  let { store, disk, toolName }: { store: DrawingStore; disk: Disk; toolName: (id: string) => string } =
    $props();

  type Line = StepResult & { id: string };
  const lines = $derived(store.settled.results.map((result): Line => ({ ...result, id: result.drawn.id })));
  /** While a step is carried the list is what it would be. */
  let carried = $state.raw<Line[] | null>(null);
  const items = $derived(carried ?? lines);
  /** Id of the step whose figures are shown to be changed. */
  let opened = $state<string | null>(null);
  const numbers = $derived.by(() => {
    let n = 0;
    return new Map(lines.map((line) => [line.id, line.kind === 'done' ? ++n : null]));
  });

  function nameOf(line: Line): { verb: string; object: string } {
    if (line.step) return stepName(line.step, disk);
    const { intent } = line.drawn;
    const number = numberOf(intent);
    const partition = disk.partitions.find((one) => one.number === number);
    const verb = findModule(intent).name;
    return { verb, object: partition ? plainName(partition) : number === null ? '' : `partition ${number}` };
  }

  function settle(event: CustomEvent<DndEvent<Line>>): void {
    carried = null;
    store.edit({ kind: 'order', ids: event.detail.items.map((line) => line.id) });
  }

  function shift(id: string, by: number): void {
    const ids = lines.map((line) => line.id);
    const at = ids.indexOf(id);
    const to = at + by;
    if (to < 0 || to >= ids.length) return;
    ids.splice(to, 0, ...ids.splice(at, 1));
    store.edit({ kind: 'order', ids });
  }
</script>

<section aria-labelledby="steps-head">
  <h2 id="steps-head">Steps · {lines.length}</h2>
  {#if lines.length === 0}
    <p class="soft">Nothing drawn yet.</p>
  {/if}
  <ol
    use:dndzone={{ items, flipDurationMs: 120, dropTargetStyle: {}, type: 'steps' }}
    onconsider={(event) => (carried = event.detail.items)}
    onfinalize={settle}
  >
    {#each items as line, i (line.id)}
      {@const name = nameOf(line)}
      {@const id = line.drawn.id}
      <li class={line.kind} aria-label="{name.verb} {name.object}">
        <span class="number in-circle">{numbers.get(id) ?? '–'}</span>
        <div class="what">
          <b>{name.verb}</b>
          {name.object}
          {#if line.kind === 'refused'}<p class="reason">{line.reason}</p>{/if}
          {#if line.step}
            <small>
              {formatSize(line.step.bytesCopied)} copied · {formatDuration(line.step.seconds)}
            </small>
          {/if}
        </div>
        <div class="tools">
          {#if line.tools.length > 1 || line.drawn.tool !== null}
            <label
              ><span class="visually-hidden">Tool for {name.verb} {name.object}</span><select
                class="input"
                value={line.drawn.tool ?? ''}
                onchange={(event) =>
                  store.edit({ kind: 'tool', id, tool: event.currentTarget.value || null })}
              >
                <option value=""
                  >{line.step && line.drawn.tool === null ? toolName(line.step.tool) : 'any tool'}</option
                >
                {#each line.tools as tool, n (n)}<option value={tool}>{toolName(tool)}</option>{/each}
              </select></label
            >
          {:else if line.step}<span class="soft small">{toolName(line.step.tool)}</span>{/if}
          <span class="buttons">
            <button
              title="Earlier"
              aria-label="{name.verb} {name.object}: earlier"
              disabled={i === 0}
              onclick={() => shift(id, -1)}>↑</button
            >
            <button
              title="Later"
              aria-label="{name.verb} {name.object}: later"
              disabled={i === items.length - 1}
              onclick={() => shift(id, 1)}>↓</button
            >
            {#if joined(line.drawn, items[i + 1]?.drawn)}
              <button onclick={() => store.edit({ kind: 'join', id })}>join</button>
            {/if}
            {#if line.drawn.intent.verb === 'move' || 'to' in line.drawn.intent}
              <button
                aria-expanded={opened === id}
                aria-label="Change {name.verb} {name.object}"
                onclick={() => (opened = opened === id ? null : id)}>change</button
              >
            {/if}
            <button
              aria-pressed={line.drawn.off}
              onclick={() => store.edit({ kind: 'switch', id, off: !line.drawn.off })}
              >{line.drawn.off ? 'on' : 'off'}</button
            >
            <button
              aria-label="Remove {name.verb} {name.object}"
              onclick={() => store.edit({ kind: 'remove', id })}>remove</button
            >
          </span>
        </div>
        {#if opened === id}
          <div class="figures">
            <StepFigures
              drawn={line.drawn}
              {disk}
              onchange={(intent) => store.edit({ kind: 'change', id, intent })}
            />
          </div>
        {/if}
      </li>
    {/each}
  </ol>
</section>

<style>
  ol {
    display: grid;
    gap: 0.25rem;
    min-height: 0.5rem;
  }
  li {
    display: grid;
    grid-template-columns: 1.75rem minmax(0, 1fr);
    gap: 0.125rem 0.375rem;
    padding: 0.375rem 0.5rem;
    background: var(--card);
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    font-size: 0.875rem;
    cursor: grab;
  }
  li.off {
    opacity: 0.6;
  }
  li.off .what b {
    text-decoration: line-through;
  }
  li.refused {
    border: 2px dashed var(--exposed);
  }
  .refused .number,
  .off .number {
    background: transparent;
    color: var(--ink-soft);
    border: 1px solid var(--line);
  }
  .figures {
    grid-column: 2;
    display: grid;
    gap: 0.25rem;
    padding-top: 0.25rem;
  }
  .reason {
    color: var(--exposed);
    font-size: 0.8125rem;
    line-height: 1.3;
  }
  small {
    display: block;
    color: var(--ink-soft);
    font-size: 0.75rem;
  }
  .tools {
    grid-column: 2;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    justify-content: space-between;
    gap: 0.25rem;
  }
  .tools .input {
    padding: 0.0625rem 1.5rem 0.0625rem 0.375rem;
    font-size: 0.7813rem;
    border-radius: 0.375rem;
  }
  .small {
    font-size: 0.7813rem;
  }
  .buttons {
    display: flex;
    gap: 0.125rem;
  }
  .buttons button {
    min-width: 1.5rem;
    padding: 0.0625rem 0.375rem;
    border-radius: 0.375rem;
    font-size: 0.7813rem;
    color: var(--accent-ink);
  }
  .buttons button:hover:not(:disabled) {
    background: var(--line);
  }
  .buttons button:disabled {
    opacity: 0.35;
  }
</style>
