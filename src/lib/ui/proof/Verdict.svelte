<script lang="ts">
  import Check from '@lucide/svelte/icons/check';
  import Eye from '@lucide/svelte/icons/eye';
  import X from '@lucide/svelte/icons/x';
  import type { Snippet } from 'svelte';

  interface Props {
    verdict: 'proved' | 'open' | 'lost';
    headline: string;
    children: Snippet;
  }
  let { verdict, headline, children }: Props = $props();
  const Mark = $derived({ proved: Check, open: Eye, lost: X }[verdict]);
</script>

<div class="verdict is-{verdict}" role="status">
  <span class="mark" aria-hidden="true"><Mark size={26} strokeWidth={2.6} /></span>
  <div>
    <p class="headline">{headline}</p>
    <p>{@render children()}</p>
  </div>
</div>

<style>
  .verdict {
    --tone: var(--exposed);
    display: flex;
    align-items: center;
    gap: 1rem;
    padding: 0.875rem 1.125rem;
    border: 1px solid var(--line);
    border-left: 5px solid var(--tone);
    border-radius: 0.5rem;
    background: var(--card);
  }
  .is-proved {
    --tone: var(--good);
  }
  .is-lost {
    --tone: var(--error);
  }
  .mark {
    display: grid;
    place-items: center;
    flex: none;
    width: 2.75rem;
    height: 2.75rem;
    border-radius: 50%;
    background: var(--tone);
    color: var(--card);
  }
  .headline {
    font-weight: 700;
    font-size: 1.125rem;
  }
</style>
