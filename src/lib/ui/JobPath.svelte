<script lang="ts">
  import Check from '@lucide/svelte/icons/check';
  import { STAGES, type StageId, type StageState } from './stages';

  /** The path of a job: where it is, what is done, what a change made stale. */
  let { number, states, here }: { number: number; states: Record<StageId, StageState>; here: string } =
    $props();

  const says: Record<StageState, string> = {
    done: 'done',
    open: 'open',
    stale: 'stale',
    closed: 'not yet possible',
  };
</script>

<nav aria-label="Path of the job">
  <ol>
    {#each STAGES as stage (stage.id)}
      {@const state = states[stage.id]}
      <li>
        <svelte:element
          this={state === 'closed' ? 'span' : 'a'}
          href={state === 'closed' ? undefined : `/jobs/${number}/${stage.id}`}
          class="stage is-{state}"
          class:here={here === stage.id}
          aria-current={here === stage.id ? 'step' : undefined}
        >
          <span class="spot" aria-hidden="true"
            >{#if state === 'done' && here !== stage.id}<Check size={12} strokeWidth={3} />{/if}</span
          >
          {stage.name}
          {#if state === 'stale'}<span class="stale">stale</span>{:else}<span class="visually-hidden"
              >({says[state]})</span
            >{/if}
        </svelte:element>
      </li>
    {/each}
  </ol>
  <a href="/jobs/{number}/about" class="about" aria-current={here === 'about' ? 'page' : undefined}
    >Job <span class="figure">{number}</span></a
  >
</nav>

<style>
  nav {
    display: flex;
    justify-content: space-between;
    gap: 1.5rem;
    background: var(--sheet);
    border-bottom: 1px solid var(--line);
    padding: 0.25rem 1.25rem;
    overflow-x: auto;
  }
  ol {
    display: flex;
    align-items: center;
  }
  li {
    display: flex;
    align-items: center;
  }
  li + li::before {
    content: '';
    width: 1.5rem;
    height: 2px;
    margin: 0 0.5rem;
    background: var(--line);
  }
  .stage {
    display: flex;
    align-items: center;
    gap: 0.5rem;
    padding: 0.5rem 0.25rem;
    font-weight: 600;
    white-space: nowrap;
    border-radius: 0.375rem;
  }
  a.stage:hover {
    color: var(--accent-ink);
  }
  .about {
    align-self: center;
    white-space: nowrap;
    padding: 0.375rem 0.25rem;
    color: var(--accent-ink);
    font-weight: 600;
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .about[aria-current] {
    color: var(--ink);
    text-decoration: none;
  }
  @media print {
    nav {
      display: none;
    }
  }
  .is-closed {
    color: var(--ink-soft);
  }
  .spot {
    display: grid;
    place-items: center;
    width: 1.125rem;
    height: 1.125rem;
    border-radius: 50%;
    border: 2px solid var(--line-strong);
    color: var(--sheet);
  }
  .is-done .spot {
    background: var(--good);
    border-color: var(--good);
  }
  .here .spot {
    background: var(--sheet);
    border: 5px solid var(--accent);
  }
  .stale {
    padding: 0 0.375rem;
    border-radius: 0.25rem;
    font-size: 0.75rem;
    background: var(--chip);
    color: var(--chip-ink);
  }
  @media (max-width: 56rem) {
    nav {
      gap: 0.75rem;
      padding: 0.25rem 1rem;
    }
    li + li::before {
      width: 0.25rem;
      margin: 0;
    }
    .stage {
      gap: 0.375rem;
    }
  }
</style>
