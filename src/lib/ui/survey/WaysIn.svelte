<script lang="ts">
  interface Props {
    job: number;
    collector: { name: string; sha256: string };
  }
  let { job, collector }: Props = $props();
</script>

<div class="ways">
  <section>
    <h3>On the machine itself</h3>
    <p>
      A script that only reads takes the survey under Windows. Run it as administrator, then drop the file
      that it writes here.
    </p>
    <p><a class="btn btn-sm quiet" href="/collector/{collector.name}" download>Download the script</a></p>
    <code class="figure">powershell -ExecutionPolicy Bypass -File {collector.name} -Out survey.json</code>
    <p class="soft">
      For a proof of single files, add <span class="figure">-Folders C:\Users,D:\ -Manifest before.txt</span>:
      it lists every file there with its hash. Do the same after the work, and compare the two on the Proof
      screen.
    </p>
    <p class="soft">
      To see what fills the volumes, add <span class="figure">-Holdings holdings.json</span>, and drop both
      files here at once.
    </p>
    <p class="soft">SHA-256 <span class="figure sum">{collector.sha256}</span></p>
  </section>
  <section>
    <h3>From a boot stick</h3>
    <p>On any Linux stick this prints what the disks hold. Drop the file here or paste its text.</p>
    <code class="figure">lsblk --json --bytes --output-all &gt; survey.json</code>
    <p class="soft">Encryption, the recovery environment and what Windows could shrink are not in it.</p>
  </section>
  <section>
    <h3>By hand</h3>
    <p>With the figures in front of you, type them in. Sizes in any unit; start, end or size follows.</p>
    <p><a class="btn btn-sm quiet" href="/jobs/{job}/survey/by-hand">Write it by hand</a></p>
  </section>
</div>

<style>
  .ways {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(15rem, 1fr));
    gap: 1rem 2.5rem;
  }
  section {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    justify-items: start;
    gap: 0.5rem;
    align-content: start;
    border-top: 2px solid var(--line-strong);
    padding-top: 0.75rem;
  }
  h3 {
    font-weight: 650;
  }
  code {
    max-width: 100%;
    min-width: 0;
    white-space: normal;
    padding: 0.375rem 0.625rem;
    border-radius: 0.375rem;
    background: var(--sheet);
    border: 1px solid var(--line);
    font-size: 0.8125rem;
    overflow-wrap: anywhere;
  }
  .soft {
    color: var(--ink-soft);
    font-size: 0.8125rem;
  }
  .sum {
    overflow-wrap: anywhere;
  }
</style>
