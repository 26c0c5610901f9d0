<script lang="ts">
  import { untrack } from 'svelte';
  import RouteTable from '$ui/chart/RouteTable.svelte';
  import ScaleSwitch from '$ui/chart/ScaleSwitch.svelte';
  import { kitNameIn, listKits, toolNameIn } from '$ui/workshop';
  import Part from '$ui/Part.svelte';
  import Board from './Board.svelte';
  import { BoardMachine } from './boardMachine.svelte';
  import Choice from './Choice.svelte';
  import {
    DrawingSession,
    type DrawingData,
    type Finisher,
    type DrawingPorts,
  } from './drawingSession.svelte';
  import Hints from './Hints.svelte';
  import Keys from './Keys.svelte';
  import Notes from './Notes.svelte';
  import RouteComparison from './RouteComparison.svelte';
  import StepList from './StepList.svelte';

  interface Props {
    data: DrawingData;
    finisher: Finisher;
    go: DrawingPorts['go'];
  }
  let { data, finisher, go }: Props = $props();

  let choice: Choice;
  const session = untrack(
    () => new DrawingSession(() => data, { finisher, go, offer: (id) => choice.offer(id) }),
  );
  const { store, drag } = session;
  const machine = new BoardMachine(store, drag, (key, shift) => session.pressOnBoard(key, shift));
  const disk = $derived(store.at.task.disk);
  const toolName = $derived(toolNameIn(data.workshop));

  /** Keys reach the screen from anywhere but a field. */
  function anywhere(event: KeyboardEvent): void {
    const field = (event.target as HTMLElement).closest('input, select, textarea, dialog');
    if (field || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (session.press(event.key, event.shiftKey)) event.preventDefault();
  }

  const SAVING = {
    saved: 'Saved',
    saving: 'Saving …',
    waiting: 'Not saved yet: the server can’t be reached',
    conflict: 'Changed in another window',
    refused: 'Not saved',
  } as const;
</script>

<svelte:head><title>{store.name} · {data.job.customer} · Gentle Tide</title></svelte:head>
<svelte:window onkeydown={anywhere} ononline={() => store.save()} />

<div class="screen">
  <main>
    <div class="top">
      <div class="title">
        <h1 class="visually-hidden">{store.name}</h1>
        <input
          class="name"
          aria-label="Name of the drawing"
          value={store.name}
          maxlength="200"
          onchange={(event) => store.rename(event.currentTarget.value)}
        />
        <p class="soft" role="status">
          {session.standing} ·
          <span class:alarm={store.saving !== 'saved' && store.saving !== 'saving'}
            >{SAVING[store.saving]}</span
          >
        </p>
      </div>
      <div class="switches">
        <label class="kit"
          ><span class="visually-hidden">Kit</span><select
            class="input"
            value={store.drawing.kit}
            onchange={(event) => store.edit({ kind: 'kit', kit: event.currentTarget.value })}
          >
            {#each listKits(data.workshop) as kit (kit.id)}<option value={kit.id}>{kit.name}</option>{/each}
          </select></label
        >
        <ScaleSwitch bind:scale={machine.scale} />
      </div>
    </div>

    <div class="bar">
      <button class="btn quiet" disabled={!store.canUndo} onclick={() => store.undo()}>Undo</button>
      <button class="btn quiet" disabled={!store.canRedo} onclick={() => store.redo()}>Redo</button>
      <button
        class="btn quiet finish"
        disabled={session.finishing !== null || store.followed.reached}
        onclick={() => session.finish()}>Finish it from {session.isAmid ? 'here' : 'the end'}</button
      >
      <button class="btn quiet" disabled={session.upTo === 0} onclick={() => session.goBack()}
        >The way back</button
      >
      <button class="btn quiet" onclick={() => session.copy()}>Copy this drawing</button>
      <button class="btn quiet" disabled={store.saving !== 'saved'} onclick={() => session.makeSheet()}
        >Its work sheet</button
      >
      <a class="btn quiet" href="/jobs/{data.job.number}/route">All routes</a>
      <button class="btn quiet" onclick={() => (session.keysShown = true)}>Keys</button>
    </div>

    <Notes {session} stale={data.stale} />
    <Part what="the drawing"><Board {machine} /></Part>
    <details>
      <summary>The same as a table</summary>
      <RouteTable {disk} steps={store.settled.steps} {toolName} />
    </details>
  </main>

  <aside aria-label="Drawing by hand">
    <Hints {store} />
    <Choice bind:this={choice} {store} {drag} {disk} strips={session.strips} />
    <StepList {store} {disk} {toolName} />
    <RouteComparison
      route={store.settled.route}
      reached={store.settled.reached}
      found={data.job.answer?.routes ?? []}
      kitName={kitNameIn(data.workshop)}
      prefer={data.job.goal?.options.prefer ?? 'usual'}
    />
  </aside>
</div>
<Keys bind:open={session.keysShown} />

<style>
  /* As wide with either of its words: the board below must not jump while an end is taken hold of. */
  .finish {
    min-width: 11rem;
  }
  .screen {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 23rem;
    min-height: calc(100vh - 7rem);
  }
  main {
    padding: 1rem 1.25rem 2rem;
    min-width: 0;
  }
  aside {
    border-left: 1px solid var(--line);
    padding: 1rem;
    display: grid;
    gap: 1rem;
    align-content: start;
  }
  aside :global(h2) {
    font-weight: 700;
    font-size: 1rem;
  }
  .top {
    display: flex;
    justify-content: space-between;
    gap: 1rem;
  }
  .title {
    flex: 1;
    min-width: 0;
  }
  .name {
    width: 100%;
    font-size: 1.375rem;
    font-weight: 700;
    color: inherit;
    background: transparent;
    border: 0;
    border-bottom: 1px dashed transparent;
    padding: 0;
    text-overflow: ellipsis;
  }
  .name:hover,
  .name:focus {
    border-bottom-color: var(--line);
  }
  .switches {
    display: flex;
    gap: 0.5rem;
    align-items: start;
  }
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem;
    margin: 0.625rem 0 1rem;
  }
  .bar .btn {
    padding: 0.25rem 0.75rem;
    font-size: 0.875rem;
  }
  .alarm {
    color: var(--exposed);
    font-weight: 650;
  }
  @media (max-width: 60rem) {
    .screen {
      grid-template-columns: minmax(0, 1fr);
    }
    aside {
      border-left: 0;
      border-top: 1px solid var(--line);
    }
  }
</style>
