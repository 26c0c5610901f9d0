<script lang="ts">
  import { call } from '$contract/client';
  import { goto, invalidateAll } from '$app/navigation';
  import { drawingOf, type Drawing } from '$core/drawing';
  import type { Route } from '$core/planning';

  interface Props {
    job: number;
    drawings: readonly { id: number; name: string; kit: string; steps: number; stale: boolean }[];
    /** The route that is shown, to be opened as a drawing. */
    route: Route | null;
    /** Kit of an empty drawing. */
    kit: string;
    kitName: (id: string) => string;
  }
  let { job, drawings, route, kit, kitName }: Props = $props();
  let said = $state('');

  async function begin(name: string, drawing: Drawing): Promise<void> {
    const body = { name: name.slice(0, 200), states: [drawing], position: 0 };
    const made = await call('POST /jobs/{number}/drawings', { number: job, body });
    if (made.ok) await goto(`/jobs/${job}/drawing/${made.value.id}`);
    else said = made.refusal.detail;
  }
  async function remove(id: number, name: string): Promise<void> {
    if (!confirm(`Throw the drawing “${name}” away? Its steps can’t be brought back.`)) return;
    const reply = await call('DELETE /jobs/{number}/drawings/{id}', { number: job, id });
    said = reply.ok ? '' : reply.refusal.detail;
    await invalidateAll();
  }
</script>

<section aria-labelledby="drawings-head">
  <h2 id="drawings-head">Your own steps</h2>
  <div class="row">
    {#if route}
      <button class="btn quiet" onclick={() => begin(route.title, drawingOf(route))}
        >Change this route by hand</button
      >
    {/if}
    <button class="btn quiet" onclick={() => begin('My own steps', { kit, steps: [] })}
      >Draw from nothing</button
    >
  </div>
  <ul>
    {#each drawings as one (one.id)}
      <li>
        <a href="/jobs/{job}/drawing/{one.id}">{one.name}</a>
        <small
          >{one.steps}
          {one.steps === 1 ? 'step' : 'steps'} · {kitName(one.kit)}{one.stale
            ? ' · on an older survey'
            : ''}</small
        >
        <button aria-label="Throw away {one.name}" onclick={() => remove(one.id, one.name)}>throw away</button
        >
      </li>
    {/each}
  </ul>
  {#if said}<p class="error" role="alert">{said}</p>{/if}
</section>

<style>
  section {
    margin: 0 0 1.125rem;
  }
  h2 {
    font-size: 0.875rem;
    font-weight: 650;
    color: var(--ink-soft);
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 0.375rem;
    margin: 0.375rem 0;
  }
  .row .btn {
    padding: 0.25rem 0.75rem;
    font-size: 0.875rem;
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 0 0.5rem;
    padding: 0.25rem 0;
    border-top: 1px solid var(--line);
    font-size: 0.875rem;
  }
  a {
    color: var(--accent-ink);
    text-decoration: underline;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  small {
    grid-column: 1;
    color: var(--ink-soft);
    font-size: 0.7813rem;
  }
  li button {
    grid-column: 2;
    grid-row: 1;
    font-size: 0.7813rem;
    color: var(--ink-soft);
    text-decoration: underline;
  }
</style>
