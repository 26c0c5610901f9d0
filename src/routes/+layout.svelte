<script lang="ts">
  import './layout.css';
  import ModeSwitch from '$ui/ModeSwitch.svelte';
  import Wrench from '@lucide/svelte/icons/wrench';
  import Wordmark from '$ui/Wordmark.svelte';
  import { onMount } from 'svelte';
  import { page } from '$app/state';

  let { children } = $props();
  // From here on the screen answers to clicks; tests wait for it.
  onMount(() => (document.documentElement.dataset['live'] = ''));
  const job = $derived(page.data['job'] as { number: number; customer: string; machine: string } | undefined);
  const diskText = $derived(page.data['diskText'] as string | undefined);
</script>

<a href="#content" class="skip">Skip to the content</a>
<div class="frame">
  <header>
    <a href="/" class="brand"><Wordmark /> Gentle Tide</a>
    <nav aria-label="Where you are">
      {#if job}
        <a href="/">Jobs</a> /
        <span class="job" title="{job.customer}, {job.machine}"
          >{job.number} · {job.customer}, {job.machine}</span
        >
      {/if}
    </nav>
    {#if diskText}<p class="disk">{diskText}</p>{/if}
    <a href="/settings" class="settings" aria-label="Tools, kits and rates" title="Tools, kits and rates"
      ><Wrench size={18} /></a
    >
    <ModeSwitch />
  </header>
  <div id="content" tabindex="-1">{@render children()}</div>
</div>

<style>
  .frame {
    min-height: 100vh;
    display: flex;
    flex-direction: column;
  }
  header {
    display: flex;
    align-items: center;
    gap: 1rem;
    padding: 0.35rem 1.25rem;
    border-bottom: 1px solid var(--line);
    min-height: 3.25rem;
  }
  .brand {
    display: inline-flex;
    align-items: center;
    gap: 0.5rem;
    font-weight: 700;
    font-size: 1.0625rem;
    white-space: nowrap;
  }
  nav {
    color: var(--ink-soft);
    min-width: 0;
    flex: 1;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  nav a:hover {
    text-decoration: underline;
  }
  .job {
    color: var(--ink);
    font-weight: 600;
  }
  .disk {
    color: var(--ink-soft);
    font-size: 0.8125rem;
    font-family: 'Atkinson Hyperlegible Mono Variable', monospace;
    letter-spacing: -0.02em;
    white-space: nowrap;
  }
  #content {
    flex: 1;
    display: flex;
    flex-direction: column;
    outline: none;
  }
  .settings {
    display: grid;
    color: var(--ink-soft);
  }
  .settings:hover {
    color: var(--ink);
  }
  .skip {
    position: absolute;
    left: 1rem;
    top: -4rem;
    z-index: 10;
    padding: 0.5rem 1rem;
    background: var(--accent);
    color: var(--on-accent);
    border-radius: 0 0 0.5rem 0.5rem;
  }
  .skip:focus {
    top: 0;
  }
  @media print {
    header {
      display: none;
    }
  }
  @media (max-width: 62rem) {
    .disk {
      display: none;
    }
  }
</style>
