<script lang="ts">
  import { call, type Refusal, type Reply } from '$contract/client';
  import type { Saved } from '$contract/shapes';
  import { goto, invalidateAll } from '$app/navigation';
  import History from '$ui/History.svelte';
  import Refused from '$ui/Refused.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const job = $derived(data.job);

  // svelte-ignore state_referenced_locally
  let draft = $state({
    customer: data.job.customer,
    machine: data.job.machine,
    notes: data.job.notes,
    due: data.job.due ?? '',
  });
  const changed = $derived(
    draft.customer !== job.customer ||
      draft.machine !== job.machine ||
      draft.notes !== job.notes ||
      draft.due !== (job.due ?? ''),
  );
  let tried = $state(false);
  const missing = $derived({ customer: draft.customer.trim() === '', machine: draft.machine.trim() === '' });
  let refusal = $state<Refusal | null>(null);
  let again = $state<((version: number) => void) | undefined>();
  let said = $state('');

  /** While a change is under way no other is begun: it would name a version that is about to be an old one. */
  let saving = $state(false);
  async function save(
    send: (version: number) => Promise<Reply<Saved>>,
    done: string,
    version = job.version,
  ): Promise<void> {
    said = '';
    saving = true;
    const reply = await send(version);
    refusal = reply.ok ? null : reply.refusal;
    again = (current) => void save(send, done, current);
    if (reply.ok) await invalidateAll();
    saving = false;
    if (reply.ok) said = done;
  }
  function saveDetails(event: SubmitEvent): void {
    event.preventDefault();
    tried = true;
    if (missing.customer || missing.machine) return;
    const details = { ...$state.snapshot(draft), due: draft.due === '' ? null : draft.due };
    void save(
      (version) => call('PUT /jobs/{number}', { number: job.number, body: { version, ...details } }),
      'Saved.',
    );
  }

  let deleting = $state(false);
  let word = $state('');
  async function remove(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (word.trim() !== String(job.number)) return;
    const { number, version } = job;
    const reply = await call('DELETE /jobs/{number}', { number, query: { version } });
    if (reply.ok) await goto('/', { invalidateAll: true });
    else said = reply.refusal.detail;
  }
</script>

<svelte:head><title>Job {job.number} · {job.customer} · Gentle Tide</title></svelte:head>

<main class="page middle">
  <div class="page-top">
    <div>
      <h1>Job {job.number}</h1>
      <p class="soft">{job.archived ? 'In the archive.' : 'In the workshop.'}</p>
    </div>
    <div class="ways">
      <a class="btn quiet" href="/api/v1/jobs/{job.number}/export" download>Export for another bench</a>
      <button
        class="btn quiet"
        disabled={saving}
        onclick={() =>
          save(
            (version) =>
              call('PUT /jobs/{number}/archive', {
                number: job.number,
                body: { version, archived: !job.archived },
              }),
            job.archived ? 'Taken out of the archive.' : 'Put into the archive; nothing of it is lost.',
          )}>{job.archived ? 'Take out of the archive' : 'Put into the archive'}</button
      >
    </div>
  </div>
  {#if refusal}<Refused {refusal} onoverwrite={again} />{/if}
  <p role="status" class="soft">{said}</p>

  <div class="two">
    <section aria-label="Details">
      <h2>Details</h2>
      <form onsubmit={saveDetails} novalidate>
        <label
          ><span>Customer</span><input
            class="input"
            bind:value={draft.customer}
            maxlength="200"
            aria-invalid={tried && missing.customer}
          /></label
        >
        {#if tried && missing.customer}<p class="error">Say whose machine it is.</p>{/if}
        <label
          ><span>Machine</span><input
            class="input"
            bind:value={draft.machine}
            maxlength="200"
            aria-invalid={tried && missing.machine}
          /></label
        >
        {#if tried && missing.machine}<p class="error">Say which machine it is.</p>{/if}
        <label><span>Due</span><input class="input due" type="date" bind:value={draft.due} /></label>
        <label
          ><span>Notes</span><textarea class="input" rows="6" bind:value={draft.notes} maxlength="20000"
          ></textarea></label
        >
        <button class="btn action" disabled={!changed || saving}>Save the details</button>
      </form>
      <details class="delete" bind:open={deleting}>
        <summary>Delete this job</summary>
        <form onsubmit={remove}>
          <p>
            Surveys, routes, drawings, work sheets, proofs and the history of this job are deleted with it.
            This can’t be taken back; an export made before is all that would be left.
          </p>
          <label
            ><span>Its number, {job.number}, to say that you mean it</span><input
              class="input due figure"
              bind:value={word}
              inputmode="numeric"
              autocomplete="off"
            /></label
          >
          <button class="btn quiet" disabled={word.trim() !== String(job.number)}
            >Delete job {job.number}</button
          >
        </form>
      </details>
    </section>

    <section aria-label="History">
      <h2>Everything that was done</h2>
      <History {...data.history} />
    </section>
  </div>
</main>

<style>
  .ways {
    display: flex;
    gap: 0.75rem;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 22rem) minmax(0, 1fr);
    gap: 2.5rem;
    align-items: start;
  }
  form {
    display: grid;
    gap: 0.75rem;
    justify-items: start;
  }
  label {
    width: 100%;
  }
  label span {
    display: block;
    font-weight: 600;
    margin-bottom: 0.25rem;
  }
  .due {
    max-width: 12rem;
  }
  .delete {
    margin-top: 2rem;
  }
  summary {
    color: var(--error);
    margin-bottom: 0.5rem;
  }
  @media (max-width: 60rem) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
