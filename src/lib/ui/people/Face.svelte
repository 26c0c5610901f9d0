<script lang="ts">
  import { initials } from './initials';

  /** A person as a disc with letters, like the name on a key ring. The name stands beside it. */
  let { name, large = false }: { name: string; large?: boolean } = $props();
</script>

<span class="face" class:large aria-hidden="true">{initials(name)}</span>

<style>
  .face {
    display: inline-grid;
    place-items: center;
    width: 1.75rem;
    height: 1.75rem;
    border-radius: 0.5rem 0.5rem 50% 50%;
    background: var(--windows-bed);
    border: 1.5px solid var(--accent);
    color: var(--accent-ink);
    font-size: 0.75rem;
    font-weight: 700;
    flex: none;
  }
  .large {
    width: 3rem;
    height: 3rem;
    font-size: 1.125rem;
  }
  :global([data-mode='dark']) .face {
    background: var(--card);
  }
</style>
