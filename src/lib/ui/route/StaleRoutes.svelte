<script lang="ts">
  /** What stands where a route was, once what it was planned from has changed. */
  let { job, several }: { job: number; several: boolean } = $props();
</script>

<p class="stale" role="status">
  {several ? 'These routes are' : 'The route is'} <b>stale</b>: the survey, the target, the tools or the rates
  changed after {several ? 'they were' : 'it was'} planned.
  <a href="/jobs/{job}/target">Ask for the size again</a>
</p>

<style>
  .stale {
    padding: 1rem;
    border-left: 4px solid var(--exposed);
    background: var(--card);
    border-radius: 0.375rem;
  }
  a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
</style>
