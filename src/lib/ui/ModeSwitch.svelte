<script lang="ts">
  import Moon from '@lucide/svelte/icons/moon';
  import Sun from '@lucide/svelte/icons/sun';
  import { onMount } from 'svelte';

  let dark = $state(false);
  onMount(() => {
    dark = document.documentElement.dataset['mode'] === 'dark';
  });

  function change(): void {
    dark = !dark;
    const mode = dark ? 'dark' : 'light';
    document.documentElement.dataset['mode'] = mode;
    localStorage.setItem('mode', mode);
  }
</script>

<button
  type="button"
  class="switch"
  onclick={change}
  aria-pressed={dark}
  aria-label="Dark theme"
  title="Dark theme"
>
  {#if dark}<Sun size={18} />{:else}<Moon size={18} />{/if}
</button>

<style>
  .switch {
    display: grid;
    place-items: center;
    width: 2.25rem;
    height: 2.25rem;
    border-radius: 0.5rem;
    color: var(--ink-soft);
  }
  .switch:hover {
    background: var(--chip);
    color: var(--ink);
  }
</style>
