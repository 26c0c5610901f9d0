<script lang="ts">
  import { page } from '$app/state';

  /** The three parts of the settings; two of them are for owners. */
  const PARTS = [
    ['/settings', 'Tools, kits and rates', false],
    ['/settings/people', 'People', true],
    ['/settings/server', 'Server', true],
  ] as const;
  const owner = $derived(!page.data['signIn'] || page.data['person']?.role === 'owner');
</script>

<nav aria-label="Settings">
  {#each PARTS as [path, name, ownersOnly] (path)}
    {#if owner || !ownersOnly}
      <a href={path} aria-current={page.url.pathname === path ? 'page' : undefined}>{name}</a>
    {/if}
  {/each}
</nav>

<style>
  nav {
    display: flex;
    gap: 1.5rem;
    border-bottom: 1px solid var(--line);
  }
  a {
    padding: 0.375rem 0;
    color: var(--ink-soft);
    font-weight: 600;
    border-bottom: 3px solid transparent;
  }
  a:hover {
    color: var(--ink);
  }
  [aria-current] {
    color: var(--ink);
    border-bottom-color: var(--accent);
  }
</style>
