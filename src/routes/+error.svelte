<script lang="ts">
  import { page } from '$app/state';

  /** A page of a job that fails leaves the ways out of it. */
  const job = $derived(/^\/jobs\/(\d+)/.exec(page.url.pathname)?.[1]);
</script>

<svelte:head><title>{page.error?.status ?? page.status} · Gentle Tide</title></svelte:head>
<main>
  <p class="figure">{page.error?.status ?? page.status}</p>
  <h1>{page.error?.message}</h1>
  {#if page.error?.hint}<p>{page.error.hint}</p>{/if}
  {#if job && page.status !== 404}
    <p>
      <a href="/api/v1/jobs/{job}/export" download>Export job {job}</a> ·
      <a href="/jobs/{job}/survey">its survey</a> ·
      <a href="/jobs/{job}/about">details, history, delete</a>
    </p>
  {/if}
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
