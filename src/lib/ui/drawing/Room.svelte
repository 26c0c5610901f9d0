<script lang="ts">
  import { SHIPPED_KITS } from '$core/tools';
  import { taskOf, type GoalOptions, type Route, type RoutesRequest, type Workshop } from '$core/planning';
  import { SegmentedControl } from '@skeletonlabs/skeleton-svelte';
  import { untrack } from 'svelte';
  import { goto, invalidateAll } from '$app/navigation';
  import type { ScaleKind } from '$core/chart';
  import { bytesOf, sentenceName } from '$core/disk';
  import { wayBack, type Drawing } from '$core/drawing';
  import type { Outcome } from '$core/problem';
  import { machineOf, type SurveyDocument } from '$core/survey';
  import { formatSize } from '$core/units';
  import { send } from '$ui/api';
  import RouteTable from '$ui/chart/RouteTable.svelte';
  import RouteComparison from './RouteComparison.svelte';
  import Board from './Board.svelte';
  import Choice from './Choice.svelte';
  import { DrawingStore, type Kept } from './drawingStore.svelte';
  import { DragController } from './dragController.svelte';
  import Hints from './Hints.svelte';
  import Keys from './Keys.svelte';
  import StepList from './StepList.svelte';
  import { TOOL_NAME } from '$ui/words';

  /** The job that is drawn for, as far as the board knows of it. */
  interface DrawnJob {
    number: number;
    customer: string;
    version: number;
    survey: { document: SurveyDocument } | null;
    goal: {
      disk: number;
      partition: number;
      size: number;
      keepFreePercent: number;
      options: GoalOptions;
    } | null;
    answer: { routes: readonly Route[] } | null;
  }

  interface Props {
    data: {
      job: DrawnJob;
      workshop: Workshop;
      drawing: Kept;
      /** A newer survey came since; `document` is then the one that it was drawn on. */
      stale: boolean;
      document: SurveyDocument | null;
    };
    /** Lets the planner bring a drawing to the goal from behind its first `upTo` steps; null where it was stopped. */
    finisher: (
      request: RoutesRequest,
      drawing: Drawing,
      upTo: number,
      onprogress: (share: number) => void,
      signal: AbortSignal,
    ) => Promise<Outcome<Drawing> | null>;
  }
  let { data, finisher }: Props = $props();
  const job = $derived(data.job);
  const goal = $derived(job.goal!);

  const request = $derived<RoutesRequest>({
    ...goal.options,
    survey: data.document ?? job.survey!.document,
    disk: goal.disk,
    goal: { partition: goal.partition, size: goal.size },
    keepFree: { percent: goal.keepFreePercent },
    workshop: data.workshop,
  });
  const kits = $derived([...SHIPPED_KITS, ...(data.workshop.kits ?? [])]);
  const kitName = (id: string): string => kits.find((kit) => kit.id === id)?.name ?? id;
  const toolNames = $derived(new Map((data.workshop.tools ?? []).map((tool) => [tool.id, tool.name])));
  const toolName = (id: string): string => TOOL_NAME[id] ?? toolNames.get(id) ?? id;

  function taskFor(kit: string) {
    const machine = machineOf(request.survey);
    const known = kits.some((one) => one.id === kit) ? kit : 'windows-only';
    const asked = taskOf(machine, { ...request, kits: [known], gives: {} });
    if (!asked.ok) throw new Error(asked.problems[0]?.message);
    return { task: asked.value, kit: asked.value.kits[0]! };
  }
  const tasks: Record<string, ReturnType<typeof taskFor>> = {};
  const taskOfKit = (kit: string) => (tasks[kit] ??= untrack(() => taskFor(kit)));

  const path = untrack(() => `/api/v1/jobs/${data.job.number}/drawings/${data.drawing.id}`);
  const store = new DrawingStore(
    path,
    taskOfKit,
    untrack(() => data.drawing),
  );
  const drag = new DragController(store);
  const disk = $derived(store.at.task.disk);
  const target = $derived(store.at.task.target);
  const strips = $derived(store.settled.steps.length + 1);

  let scale = $state<ScaleKind>('legible');
  let keys = $state(false);
  let choice: Choice;

  /** The place in the list up to which the chosen result goes. */
  const upTo = $derived(
    drag.chosen ? drag.placeOf(Math.min(drag.chosen.strip, strips - 1)) : store.drawing.steps.length,
  );

  let finishing = $state<{ share: number; stop: AbortController } | null>(null);
  let said = $state('');
  async function finish(): Promise<void> {
    if (finishing) return;
    said = '';
    const stop = new AbortController();
    finishing = { share: 0, stop };
    const outcome = await finisher(
      $state.snapshot(request) as RoutesRequest,
      store.drawing,
      upTo,
      (share) => (finishing = { share, stop }),
      stop.signal,
    );
    finishing = null;
    if (!outcome) said = 'Stopped. The drawing is as it was.';
    else if (outcome.ok) store.put(outcome.value);
    else said = outcome.problems[0]?.message ?? 'The planner found no way.';
  }

  function goBack(): void {
    const { task, kit } = store.at;
    const back = wayBack(task, kit, store.drawing, upTo);
    store.put(back.drawing);
    const ways = back.steps === 1 ? '1 step leads' : `${back.steps} steps lead`;
    said = [`${ways} back to the layout as found.`, ...back.lost].join(' ');
  }

  function onkey(key: string, shift: boolean): boolean {
    if (key === '?') keys = true;
    else if (key === 'u') store.undo();
    else if (key === 'U' || (key === 'u' && shift)) store.redo();
    else if (key === 'g') void finish();
    else if (key === 'b') goBack();
    else {
      const offers: Record<string, string[]> = {
        f: ['fill'],
        k: ['least'],
        n: ['create'],
        d: ['delete'],
        a: ['set-aside', 'put-back'],
        y: ['decrypt'],
        c: ['out', 'into', 'back'],
        t: ['relocate'],
      };
      return offers[key]?.some((id) => choice.offer(id)) ?? false;
    }
    return true;
  }
  /** Keys reach the screen from anywhere but a field. */
  function anywhere(event: KeyboardEvent): void {
    const field = (event.target as HTMLElement).closest('input, select, textarea, dialog');
    if (field || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    if (['?', 'u', 'U', 'g', 'b'].includes(event.key) && onkey(event.key, event.shiftKey))
      event.preventDefault();
  }

  async function takeTheirs(): Promise<void> {
    const reply = await fetch(path);
    if (reply.ok) store.take((await reply.json()) as Kept);
  }
  async function keepMine(): Promise<void> {
    const made = await send<{ id: number }>('POST', `/api/v1/jobs/${job.number}/drawings`, {
      name: `${store.name} (copy)`.slice(0, 200),
      states: store.states,
      position: store.history.past.length,
    });
    if (made.ok) await goto(`/jobs/${job.number}/drawing/${made.value.id}`);
    else said = made.refusal.detail;
  }
  async function copy(): Promise<void> {
    await keepMine();
    await invalidateAll();
  }

  async function sheet(version = job.version): Promise<void> {
    const made = await send('POST', `/api/v1/jobs/${job.number}/sheets`, {
      version,
      drawing: data.drawing.id,
    });
    if (made.ok) await goto(`/jobs/${job.number}/sheet`, { invalidateAll: true });
    else said = made.refusal.detail;
  }

  const SAVING = {
    saved: 'Saved',
    saving: 'Saving …',
    waiting: 'Not saved yet: the server can’t be reached',
    conflict: 'Changed in another window',
    refused: 'Not saved',
  } as const;
  const end = $derived(store.followed.results.at(-1)?.after ?? store.followed.start);
  const size = $derived.by(() => {
    const now = end.partitions.find((one) => one.number === target.number);
    return now ? bytesOf(disk, now) : 0;
  });
  const standing = $derived(
    `${sentenceName(target)} ${formatSize(size)} of ${formatSize(goal.size)}${store.followed.reached ? ', the goal is reached' : ''}`,
  );
</script>

<svelte:head><title>{store.name} · {job.customer} · Gentle Tide</title></svelte:head>
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
          {standing} ·
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
            {#each kits as kit (kit.id)}<option value={kit.id}>{kit.name}</option>{/each}
          </select></label
        >
        <SegmentedControl value={scale} onValueChange={({ value }) => (scale = value as ScaleKind)}>
          <SegmentedControl.Label class="visually-hidden">Scale of the chart</SegmentedControl.Label>
          <SegmentedControl.Control>
            <SegmentedControl.Indicator />
            <SegmentedControl.Item value="legible"
              ><SegmentedControl.ItemText>Legible</SegmentedControl.ItemText><SegmentedControl.ItemHiddenInput
              /></SegmentedControl.Item
            >
            <SegmentedControl.Item value="true"
              ><SegmentedControl.ItemText>True scale</SegmentedControl.ItemText
              ><SegmentedControl.ItemHiddenInput /></SegmentedControl.Item
            >
          </SegmentedControl.Control>
        </SegmentedControl>
      </div>
    </div>

    <div class="bar">
      <button class="btn quiet" disabled={!store.canUndo} onclick={() => store.undo()}>Undo</button>
      <button class="btn quiet" disabled={!store.canRedo} onclick={() => store.redo()}>Redo</button>
      <button
        class="btn quiet finish"
        disabled={finishing !== null || store.followed.reached}
        onclick={() => finish()}
        >Finish it from {drag.chosen && drag.chosen.strip < strips - 1 ? 'here' : 'the end'}</button
      >
      <button class="btn quiet" disabled={upTo === 0} onclick={goBack}>The way back</button>
      <button class="btn quiet" onclick={() => copy()}>Copy this drawing</button>
      <button class="btn quiet" disabled={store.saving !== 'saved'} onclick={() => sheet()}
        >Its work sheet</button
      >
      <a class="btn quiet" href="/jobs/{job.number}/route">All routes</a>
      <button class="btn quiet" onclick={() => (keys = true)}>Keys</button>
    </div>

    {#if data.stale}
      <p class="note" role="status">
        A newer survey of this machine is there. This drawing still shows the survey that it was drawn on.
      </p>
    {/if}
    {#if store.saving === 'conflict'}
      <div class="note alarm" role="alert">
        <p>
          <b>Another window changed this drawing.</b> Nothing is lost: your steps are still here, theirs are saved.
        </p>
        <div class="bar">
          <button class="btn action" onclick={keepMine}>Keep mine as a copy</button>
          <button class="btn quiet" onclick={takeTheirs}>Show what the other window drew</button>
        </div>
      </div>
    {:else if store.saving === 'refused' || store.saving === 'waiting'}
      <div class="note alarm" role="alert">
        <p>{store.refusal}</p>
        <button class="btn quiet" onclick={() => store.save()}>Try again</button>
      </div>
    {/if}
    {#if finishing}
      <div class="note" role="status">
        <p>The planner is looking for a way from here … {Math.round(finishing.share * 100)} %</p>
        <progress value={finishing.share}></progress>
        <button class="btn quiet" onclick={() => finishing?.stop.abort()}>Stop</button>
      </div>
    {/if}
    {#if said}<p class="note" role="status">{said}</p>{/if}

    <Board {store} {drag} {disk} {scale} {onkey} />
    <details>
      <summary>The same as a table</summary>
      <RouteTable {disk} steps={store.settled.steps} {toolName} />
    </details>
  </main>

  <aside aria-label="Drawing by hand">
    <Hints {store} />
    <Choice bind:this={choice} {store} {drag} {disk} {strips} />
    <StepList {store} {disk} {toolName} />
    <RouteComparison
      route={store.settled.route}
      reached={store.settled.reached}
      found={job.answer?.routes ?? []}
      {kitName}
      prefer={goal.options.prefer ?? 'safe'}
    />
  </aside>
</div>
<Keys bind:open={keys} />

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
  .note {
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    background: var(--card);
    padding: 0.5rem 0.75rem;
    margin-bottom: 0.75rem;
    font-size: 0.9063rem;
  }
  .note .bar {
    margin: 0.5rem 0 0;
  }
  .note.alarm {
    border: 2px solid var(--exposed);
  }
  span.alarm {
    color: var(--exposed);
    font-weight: 650;
  }
  progress {
    width: 100%;
    accent-color: var(--accent);
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
