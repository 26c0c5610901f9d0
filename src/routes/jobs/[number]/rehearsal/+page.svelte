<script lang="ts">
  import type { Rehearsal } from '$contract/rehearsals';
  import { onMount, untrack } from 'svelte';
  import { invalidateAll } from '$app/navigation';
  import { listPlayedOtherwise } from '$core/executor/rehearsable';
  import { formatDuration, formatSize, MIB } from '$core/units';
  import Beside from '$ui/Beside.svelte';
  import { jobDisk } from '$ui/jobDisk';
  import Part from '$ui/Part.svelte';
  import Refused from '$ui/Refused.svelte';
  import ForReal from '$ui/rehearsal/ForReal.svelte';
  import { chooseWords } from '$ui/rehearsal/places';
  import AtWork from '$ui/rehearsal/AtWork.svelte';
  import { formatMinute } from '$ui/survey/surveyLine';
  import Outcome from '$ui/rehearsal/Outcome.svelte';
  import RehearsalChart from '$ui/rehearsal/RehearsalChart.svelte';
  import { Rehearsing } from '$ui/rehearsal/rehearsing.svelte';
  import { describePowerCut } from '$ui/rehearsal/told';
  import StaleRoutes from '$ui/route/StaleRoutes.svelte';
  import Switch from '$ui/Switch.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);
  const { disk } = $derived(jobDisk(job));
  const chosen = $derived(job.answer!.routes[job.chosen]!);

  /** How many of the routes that were found can be rehearsed. */
  const others = $derived(job.answer!.routes.filter(({ rehearsable }) => rehearsable).length);

  const rehearsing = untrack(
    () => new Rehearsing(job.number, data.newest as Rehearsal | null, () => void invalidateAll()),
  );
  onMount(() => {
    rehearsing.watch();
    return () => rehearsing.leave();
  });

  /** One of another route is told of below; the chart shows the chosen one. */
  const now = $derived(
    rehearsing.now && (rehearsing.alive || rehearsing.now.current) ? rehearsing.now : null,
  );
  const steps = $derived(now?.route.steps ?? chosen.steps);
  const place = $derived(now?.place ?? 'stand-in');
  const words = $derived(chooseWords(place, now?.image ?? null));
  const otherwise = $derived(place === 'stand-in' ? listPlayedOtherwise(disk, steps) : []);
  const progress = $derived(now?.progress ?? null);
  const proof = $derived(data.proof && data.newest?.id === now?.id ? data.proof : null);
  const gone = $derived(now?.state === 'cut' && progress ? describePowerCut(disk, steps, progress) : null);
  const withinStep = $derived(progress?.phase === 'carrying-out' && progress.step < steps.length);
  const written = $derived(progress ? progress.written.reduce((sum, one) => sum + one, 0) : 0);
  const onDrive = $derived(
    steps.reduce((sum, { seconds }) => ({ low: sum.low + seconds.low, high: sum.high + seconds.high }), {
      low: 0,
      high: 0,
    }),
  );
  const took = $derived(progress ? Math.round(progress.took.reduce((sum, one) => sum + one, 0) / 1000) : 0);
  const stoppedWord = $derived(
    now?.state === 'cut'
      ? 'stopped'
      : now?.state === 'paused'
        ? 'paused'
        : now?.state === 'stepped-back'
          ? 'stepped back'
          : '',
  );

  function setPace(pace: 'fast' | 'drive'): void {
    rehearsing.pace = pace;
    if (rehearsing.alive) void rehearsing.command(pace);
  }
</script>

<svelte:head><title>Rehearsal · {job.customer} · Gentle Tide</title></svelte:head>

<Beside
  label="The rehearsal"
  column={job.goal?.stale ? undefined : beside}
  foot={rehearsing.alive && progress && !job.goal?.stale ? below : undefined}
>
  {#if job.goal?.stale}
    <StaleRoutes job={job.number} several={false} />
  {:else}
    <h1>{words.title}</h1>
    <p class="soft lead">
      {#if place === 'stand-in'}
        Same table, same places, same fill as the disk of the survey{progress?.files
          ? `; ${progress.files.toLocaleString('en-GB')} made-up files`
          : ''}.
      {/if}
      {words.lead}
      {otherwise.join(' ')}
    </p>
    <Part what="the chart"><RehearsalChart {disk} {steps} {now} /></Part>
  {/if}
</Beside>

{#snippet beside()}
  <div aria-live="polite">
    {#if rehearsing.refusal && !rehearsing.refusal.fields.some(({ path }) => path === '/typed')}<Refused
        refusal={rehearsing.refusal}
      />{/if}
    {#if gone}
      <h2 class="small-title">The power is gone</h2>
      <div class="card gone">
        <p><b>{gone.title}</b></p>
        <p>{gone.state}</p>
        <p><b>With a mover that keeps no journal:</b> {gone.elsewhere}</p>
        <p class="safe">Here nothing is lost.</p>
      </div>
    {:else if now?.state === 'failed'}
      <h2 class="small-title">{words.failed}</h2>
      <p class="card gone">{now.problem}</p>
    {:else if now?.state === 'stepped-back'}
      <h2 class="small-title">The step is taken back</h2>
      <p class="card">
        Table, sizes and files are as before step {(progress?.step ?? 0) + 1}. It can go on from there.
      </p>
    {:else if now?.state === 'cancelled'}
      <h2 class="small-title">Ended before its time</h2>
      <p class="card">{words.cancelled}</p>
    {:else if now?.state === 'paused' && now.problem}
      <h2 class="small-title">It could not go on</h2>
      <p class="card gone">{now.problem}</p>
    {/if}
  </div>

  {#if proof && now}
    <Outcome
      {proof}
      file={now.file}
      elsewhere={now.elsewhere}
      href="/api/v1/jobs/{job.number}/rehearsals/{now.id}/proof"
    />
    {#if place === 'stand-in'}
      <a class="btn action wide" href="/jobs/{job.number}/sheet">On to the work sheet</a>
    {/if}
  {/if}

  {#if rehearsing.stopped}
    <div class="two">
      <button class="btn action" disabled={rehearsing.asking} onclick={() => rehearsing.command('resume')}
        >Resume</button
      >
      {#if now?.state !== 'stepped-back' && withinStep}
        <button class="btn quiet" disabled={rehearsing.asking} onclick={() => rehearsing.command('step-back')}
          >Step back</button
        >
      {/if}
    </div>
  {/if}

  {#if !rehearsing.alive}
    {#if chosen.rehearsable === false}
      <h2 class="small-title">This route can’t be rehearsed</h2>
      <p class="card">{chosen.notRehearsable}</p>
      <p class="soft small">
        {others === 0
          ? 'None of those that were found can.'
          : `${others} of the ${job.answer!.routes.length} that were found can: choose one on the Route screen.`}
        Go <a href="/jobs/{job.number}/sheet">on to the work sheet</a>
        without a rehearsal.
      </p>
    {:else if place === 'image' && proof}
      <p class="soft small">
        {now?.image} is as left now. <a href="/jobs/{job.number}/survey">Survey it again</a> for anything further.
      </p>
    {:else}
      {#if !proof && now?.state !== 'failed'}
        <h2 class="small-title">Does it work?</h2>
        <p class="small">
          A disk is made up that is like this one, the route is carried out on it, byte by byte, and every
          file on it is compared afterwards. The power can be cut wherever you like.
        </p>
      {/if}
      <button
        class="btn {proof ? 'quiet' : 'action'} wide"
        disabled={rehearsing.asking}
        onclick={() => rehearsing.begin()}
        >{(proof || now?.state === 'failed') && place === 'stand-in'
          ? 'Rehearse it again'
          : 'Make a stand-in and carry the route out'}</button
      >
      {#if job.survey?.image}<ForReal image={job.survey.image} {rehearsing} />{/if}
    {/if}
  {/if}

  {#if rehearsing.alive && progress}
    <h2 class="small-title">So far</h2>
    <dl>
      <dt>Written</dt>
      <dd class="figure">{formatSize(written)}</dd>
      {#if progress.rate && rehearsing.going}
        <dt>Rate</dt>
        <dd class="figure">{Math.round(progress.rate / MIB).toLocaleString('en-GB')} MiB/s</dd>
      {/if}
      <dt>Cuts survived</dt>
      <dd class="figure">{progress.cuts}</dd>
      <dt>Took here</dt>
      <dd class="figure">{took} s</dd>
      <dt>On the drive</dt>
      <dd class="figure">{formatDuration(onDrive)}</dd>
    </dl>
  {/if}
  {#if rehearsing.alive || (chosen.rehearsable !== false && (!proof || (job.survey?.image && place !== 'image')))}
    <h2 class="small-title">Pace</h2>
    <Switch
      label="Pace"
      bind:value={() => rehearsing.pace, setPace}
      choices={[
        ['fast', 'As fast as it goes'],
        ['drive', words.gently],
      ]}
    />
    {#if rehearsing.pace === 'drive'}
      <p class="soft small">
        {progress?.factor && progress.factor > 1
          ? `In time-lapse: ${progress.factor} times as fast as this kind of drive copies.`
          : words.paceWhy}
      </p>
    {/if}
  {/if}

  {#if rehearsing.alive}
    <div class="last">
      {#if rehearsing.going}
        <button
          class="btn cut wide"
          disabled={rehearsing.asking || now?.state !== 'running' || now?.wish !== null}
          onclick={() => rehearsing.command('cut')}
          >{progress?.cuts ? 'Cut the power again' : 'Cut the power'}</button
        >
        <button
          class="btn quiet wide"
          disabled={rehearsing.asking || now?.state !== 'running' || now?.wish !== null}
          onclick={() => rehearsing.command('pause')}>Pause</button
        >
      {/if}
      <button class="btn quiet wide" disabled={rehearsing.asking} onclick={() => rehearsing.command('cancel')}
        >{words.end}</button
      >
      {#if words.ends}<p class="soft small">{words.ends}</p>{/if}
      {#if rehearsing.stopped && place !== 'stand-in' && now?.problem}
        <details>
          <summary>Give it up as it lies</summary>
          <p class="small">
            Nothing is taken back, and the image may hold half a step. Its journal is kept beside it. Only
            where the image is restored from elsewhere.
          </p>
          <button
            class="btn cut wide"
            disabled={rehearsing.asking}
            onclick={() => rehearsing.command('give-up')}>Give the run up</button
          >
        </details>
      {/if}
    </div>
  {:else if data.earlier.length > 1 || (data.earlier.length === 1 && !now)}
    <h2 class="small-title">Earlier</h2>
    <ul class="earlier">
      {#each data.earlier.filter((one) => one.id !== now?.id) as one (one.id)}
        <li>
          <span class="figure">{formatMinute(one.createdAt)}</span>
          {one.verdict === 'proved'
            ? 'nothing lost'
            : one.verdict === 'differs'
              ? 'not as promised'
              : one.state}{one.current ? '' : ', another route or survey'}
        </li>
      {/each}
    </ul>
  {/if}
{/snippet}
{#snippet below()}
  {#if progress}<AtWork {disk} {steps} {progress} {place} stopped={stoppedWord} />{/if}
{/snippet}

<style>
  .lead {
    margin: 0.125rem 0 1rem;
    max-width: 46rem;
  }
  .card {
    background: var(--card);
    border: 1px solid var(--line);
    border-radius: 0.625rem;
    padding: 0.75rem 0.875rem;
    overflow-wrap: anywhere;
  }
  .card p + p {
    margin-top: 0.375rem;
  }
  .card.gone {
    border: 2px solid var(--exposed);
  }
  .safe {
    color: var(--good);
    font-weight: 700;
  }
  .two {
    display: grid;
    grid-auto-flow: column;
    grid-auto-columns: 1fr;
    gap: 0.5rem;
    margin-top: 0.75rem;
  }
  .wide {
    width: 100%;
    margin-top: 0.625rem;
  }
  .cut {
    border: 1.5px solid var(--exposed);
    color: var(--exposed);
    background: var(--card);
    font-weight: 650;
  }
  .small {
    font-size: 0.875rem;
    padding: 0.25rem 0;
  }
  .small a {
    color: var(--accent-ink);
    text-decoration: underline;
  }
  dl {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 0.375rem 0.75rem;
  }
  dd {
    text-align: right;
    white-space: nowrap;
  }
  .last {
    margin-top: auto;
    padding-top: 1rem;
  }
  .earlier {
    font-size: 0.8438rem;
    display: grid;
    gap: 0.25rem;
  }
</style>
