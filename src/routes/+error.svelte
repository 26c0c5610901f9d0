<script lang="ts">
  import { page } from '$app/state';
</script>

<svelte:head><title>{page.status} · Gentle Tide</title></svelte:head>
<main>
  <p class="figure">{page.status}</p>
  <h1>{page.error?.message}</h1>
  {#if page.error?.hint}<p>{page.error.hint}</p>{/if}
  <p><a href="/">All jobs</a></p>
</main>

<style>
  main {
    margin: 5rem auto;
    max-width: 34rem;
    padding: 0 1.25rem;
    display: grid;
    gap: 0.75rem;
  }
  .figure {
    color: var(--ink-soft);
  }
  h1 {
    font-size: 1.5rem;
    font-weight: 700;
  }
  a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
</style>
