<script lang="ts">
  import './layout.css';
  import ModeSwitch from '$ui/ModeSwitch.svelte';
  import Wrench from '@lucide/svelte/icons/wrench';
  import Part from '$ui/Part.svelte';
  import Wordmark from '$ui/Wordmark.svelte';
  import { onMount } from 'svelte';
  import { page } from '$app/state';
  import { Feed } from '$ui/feed/feed';
  import { keepSheets } from '$ui/sheet/keep';
  import { setFeed } from '$ui/feed/here';
  import WhoChip from '$ui/people/WhoChip.svelte';
  import WrongTries from '$ui/people/WrongTries.svelte';
  import type { LayoutProps } from './$types';

  let { data, children }: LayoutProps = $props();
  const feed = new Feed();
  setFeed(feed);
  onMount(() => {
    // From here on the screen answers to clicks; tests wait for it.
    document.documentElement.dataset['live'] = '';
    keepSheets();
    return data.signIn && !data.person ? undefined : feed.begin();
  });
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
    {#if data.unwell.length > 0}
      <a href="/settings/server" class="unwell" title={data.unwell.join(' ')}>Look at the server</a>
    {/if}
    {#if !data.signIn || (data.person && data.person.role !== 'reader')}
      <a href="/settings" class="settings" aria-label="Settings" title="Settings"><Wrench size={18} /></a>
    {/if}
    <ModeSwitch />
    {#if data.person}<WhoChip person={data.person} />{/if}
  </header>
  {#if data.person?.role === 'reader' && job}
    <p class="reading">
      You see and print here. What you try out on these screens is not saved: changes are for technicians.
    </p>
  {/if}
  <WrongTries tries={data.wrongTries} />
  <div id="content" tabindex="-1"><Part what="this page">{@render children()}</Part></div>
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
  .unwell {
    padding: 0.125rem 0.625rem;
    border: 1px solid var(--exposed);
    border-radius: 1rem;
    color: var(--exposed);
    font-weight: 600;
    font-size: 0.875rem;
    white-space: nowrap;
  }
  .reading {
    padding: 0.375rem 1.5rem;
    background: var(--chip);
    color: var(--chip-ink);
    font-size: 0.875rem;
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
