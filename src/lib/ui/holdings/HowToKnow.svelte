<script lang="ts">
  let { number }: { number: number } = $props();
</script>

<section aria-label="How to find out">
  <p>
    It is not known yet what fills the volumes of this machine. There are two ways to find out; both only
    read.
  </p>
  <ol>
    <li>
      <b>From a disk image:</b> give it on the <a href="/jobs/{number}/survey">Survey screen</a>; what fills
      its volumes is read with the survey.
    </li>
    <li>
      <b>On the machine itself:</b> let the script that surveys it write the holdings as well, and drop both
      files there.
      <pre
        class="figure">powershell -ExecutionPolicy Bypass -File gentle-tide-survey.ps1 -Out survey.json -Holdings holdings.json</pre>
    </li>
  </ol>
  <p class="soft">
    Folders are named down to a size, with their sizes and dates; nothing of what is in the files.
  </p>
</section>

<style>
  section {
    display: grid;
    gap: 0.75rem;
    max-width: 52rem;
    padding: 1.25rem 1.5rem;
    border: 1.5px dashed var(--dry-line);
    border-radius: 0.75rem;
  }
  ol {
    display: grid;
    gap: 0.625rem;
    list-style: decimal;
    padding-left: 1.25rem;
  }
  a {
    text-decoration: underline;
    color: var(--accent-ink);
  }
  pre {
    margin-top: 0.375rem;
    padding: 0.5rem 0.75rem;
    border: 1px solid var(--line);
    border-radius: 0.375rem;
    background: var(--sheet);
    font-size: 0.8125rem;
    white-space: pre-wrap;
  }
</style>
