<script lang="ts">
  import type { Finding } from '$core/finding';
  import { toolNameIn } from './workshop';

  interface Props {
    finding: Finding;
    /** Its number in the picture; absent where it is not drawn there. */
    mark?: number | undefined;
    lit?: boolean;
    onlight?: (on: boolean) => void;
  }
  let { finding, mark, lit = false, onlight }: Props = $props();

  const toolText = (tools: readonly string[]): string => {
    const movers = tools.includes('live-mover') && tools.includes('offline-mover');
    const rest = tools.filter((tool) => !movers || tool === 'windows').map(toolNameIn({}));
    return [...rest, ...(movers ? ['movers'] : [])].join(', ') || 'before';
  };
</script>

<article class:lit onpointerenter={() => onlight?.(true)} onpointerleave={() => onlight?.(false)}>
  {#if mark !== undefined}<span class="number" aria-hidden="true">{mark}</span>{/if}
  <h3>
    {finding.title}
    {#if finding.severity === 'blocks'}<span class="tag">blocks</span>{/if}
  </h3>
  <p>{finding.detail}</p>
  {#if finding.remedies.length > 0}
    <ul aria-label="What can be done">
      {#each finding.remedies as remedy, i (i)}
        <li>
          <span>{remedy.title}</span>
          <span
            class="tools"
            class:windows={remedy.tools.length === 1 && remedy.tools[0] === 'windows'}
            class:hand={remedy.tools.length === 0}
          >
            {toolText(remedy.tools)}
          </span>
        </li>
      {/each}
    </ul>
  {/if}
</article>

<style>
  article {
    position: relative;
    background: var(--card);
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    padding: 1.125rem 1rem 0.625rem;
    display: flex;
    flex-direction: column;
  }
  .lit {
    border-color: var(--accent);
  }
  h3 {
    font-weight: 700;
    font-size: 1rem;
  }
  p {
    color: var(--ink-soft);
    margin: 0.25rem 0 0.75rem;
  }
  .number {
    position: absolute;
    top: -0.75rem;
    left: 1rem;
    display: grid;
    place-items: center;
    min-width: 1.5rem;
    height: 1.5rem;
    border-radius: 1rem;
    background: var(--ink);
    color: var(--paper);
    font-weight: 700;
    font-size: 0.8125rem;
  }
  .tag {
    padding: 0.0625rem 0.5rem;
    border-radius: 0.375rem;
    font-size: 0.8125rem;
    font-weight: 600;
    color: var(--error);
    background: var(--error-ground);
  }
  ul {
    margin-top: auto;
  }
  li {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 0.75rem;
    border-top: 1px solid var(--line);
    padding: 0.375rem 0;
    font-size: 0.875rem;
  }
  .tools {
    flex: none;
    padding: 0.0625rem 0.5rem;
    border-radius: 0.375rem;
    font-size: 0.8125rem;
    font-weight: 600;
    background: var(--chip-accent);
    color: var(--accent-ink);
  }
  .tools.windows {
    background: var(--chip);
    color: var(--chip-ink);
  }
  .tools.hand {
    background: var(--boot-bed);
    color: var(--exposed);
  }
</style>
