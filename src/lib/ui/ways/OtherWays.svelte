<script lang="ts">
  import { bytesOf, nameInSentence, type Disk, type Partition } from '$core/disk';
  import type { CleanupReport } from '$core/holdings';
  import { makeSteps, type Allows, type NewVolume, type WayOut } from '$core/otherWays';
  import { formatSize } from '$core/units';

  interface Props {
    job: number;
    disk: Disk;
    target: Partition;
    ways: readonly WayOut[];
    found: CleanupReport | null;
    /** Whether a size was asked for: what is drawn stands beside one. */
    asked: boolean;
    /** Keeps steps as a drawing and goes there; what went wrong, as a sentence. */
    ondraw: (name: string, steps: ReturnType<typeof makeSteps>) => Promise<string>;
    /** Goes to the Target screen with something allowed. */
    onallow: (allows: Allows) => void;
  }
  let { job, disk, target, ways, found, asked, ondraw, onallow }: Props = $props();

  let ticked = $state<Record<string, boolean>>({});
  const isTicked = (makes: NewVolume, path: string): boolean => ticked[path] ?? makes.proposed.includes(path);
  const chosen = (makes: NewVolume): string[] =>
    makes.folders.map(({ path }) => path).filter((path) => isTicked(makes, path));
  const moving = (makes: NewVolume): number =>
    makes.folders.reduce((sum, { path, bytes }) => sum + (isTicked(makes, path) ? bytes : 0), 0);
  const freeThen = (makes: NewVolume): string => {
    const used = target.volume?.used ?? null;
    return used === null
      ? ''
      : `${nameInSentence(target)} then has ${formatSize(bytesOf(disk, target) - used + moving(makes))} free.`;
  };
  let said = $state('');
</script>

<section id="other-ways" aria-labelledby="other-ways-head">
  <h2 id="other-ways-head">Other ways out</h2>
  <p class="lead">Where resizing and moving do not reach far enough, or somebody would rather not.</p>
  <div class="cards">
    {#each ways as way (way.code)}
      <article class:off={way.reason !== ''}>
        <h3>{way.title}</h3>
        <p>{way.detail}</p>
        {#if way.reason !== ''}
          <p class="reason"><b>Not here:</b> {way.reason}</p>
        {:else if way.makes}
          {@const makes = way.makes}
          {#if makes.folders.length > 0}
            <ul aria-label="Folders that could move there">
              {#each makes.folders as { path, bytes }, i (i)}
                <li>
                  <label
                    ><input
                      type="checkbox"
                      checked={isTicked(makes, path)}
                      onchange={(event) => (ticked[path] = event.currentTarget.checked)}
                    /><span class="path">{path.replace(/^\\/, '')}</span><span class="figure"
                      >{formatSize(bytes)}</span
                    ></label
                  >
                </li>
              {/each}
            </ul>
            <p class="sum" role="status">
              {#if moving(makes) > makes.bytes}
                <span class="error"
                  >{formatSize(moving(makes))} do not fit into {formatSize(makes.bytes)}.</span
                >
              {:else}{freeThen(makes)}{/if}
            </p>
          {:else if !found}
            <p><a href="/jobs/{job}/survey/holdings">What fills {nameInSentence(target)}</a></p>
          {/if}
          <div class="foot">
            <button
              class="btn quiet"
              disabled={!asked || moving(makes) > makes.bytes}
              onclick={async () =>
                (said = await ondraw(way.title, makeSteps(target.number, makes, chosen(makes))))}
              >Draw it</button
            >
            {#if !asked}<small class="soft"
                >It is drawn beside a size that was asked for: choose one first.</small
              >{/if}
          </div>
          {#if said}<p class="error" role="alert">{said}</p>{/if}
        {:else if way.volumes}
          <ul aria-label="Volumes that could be joined">
            {#each way.volumes as one (one.partition)}
              <li class="volume">
                <div>
                  <b>{one.name}</b>
                  <span class="figure"
                    >{one.used === null ? 'not known' : formatSize(one.used)} of {formatSize(one.bytes)}</span
                  >
                  <p>{one.says}</p>
                </div>
                {#if one.can}<button
                    class="btn btn-sm quiet"
                    aria-label="Allow joining {one.name}"
                    onclick={() => onallow({ mayJoin: [one.partition] })}>Allow it</button
                  >{/if}
              </li>
            {/each}
          </ul>
        {:else if way.leads}
          <p class="foot">
            <a class="btn quiet" href="/jobs/{job}/diagnosis/{way.leads}">Compare the disks</a>
          </p>
        {:else if way.allows}
          {@const allows = way.allows}
          <div class="foot">
            <button class="btn quiet" onclick={() => onallow(allows)}>Allow it</button>
          </div>
        {/if}
      </article>
    {/each}
  </div>
</section>

<style>
  section {
    padding-top: 0.5rem;
  }
  article {
    background: var(--card);
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    padding: 1rem;
    display: flex;
    flex-direction: column;
    gap: 0.5rem;
  }
  .off {
    background: none;
  }
  h3 {
    font-weight: 700;
    font-size: 1rem;
  }
  p {
    color: var(--ink-soft);
    overflow-wrap: anywhere;
  }
  .reason b {
    color: var(--ink);
  }
  li label {
    display: flex;
    gap: 0.5rem;
    align-items: center;
    border-top: 1px solid var(--line);
    padding: 0.25rem 0;
    font-size: 0.875rem;
  }
  .path {
    min-width: 0;
    overflow-wrap: anywhere;
  }
  label .figure {
    margin-left: auto;
    white-space: nowrap;
  }
  .sum {
    color: var(--ink);
    font-weight: 600;
  }
  .foot {
    display: flex;
    flex-wrap: wrap;
    gap: 0.5rem 0.75rem;
    align-items: center;
    padding-top: 0.25rem;
  }
  .volume {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 1rem;
    border-top: 1px solid var(--line);
    padding: 0.5rem 0;
    font-size: 0.875rem;
  }
  .volume .btn {
    flex: none;
  }
  .lead {
    margin-bottom: 0.75rem;
  }
  h2 {
    font-size: 1.25rem;
    font-weight: 700;
  }
  p:not(.foot) a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
</style>
