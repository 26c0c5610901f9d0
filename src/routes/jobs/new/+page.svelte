<script lang="ts">
  import { call, type Refusal } from '$contract/client';
  import { goto } from '$app/navigation';
  import Refused from '$ui/Refused.svelte';

  let customer = $state('');
  let machine = $state('');
  let tried = $state(false);
  let refusal = $state<Refusal | null>(null);
  const missing = $derived({ customer: customer.trim() === '', machine: machine.trim() === '' });

  async function add(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    tried = true;
    if (missing.customer || missing.machine) return;
    const reply = await call('POST /jobs', { body: { customer, machine } });
    if (reply.ok) await goto(`/jobs/${reply.value.number}/survey`);
    else refusal = reply.refusal;
  }
</script>

<svelte:head><title>New job · Gentle Tide</title></svelte:head>

<main class="page narrow">
  <h1>New job</h1>
  <p class="soft">One machine in for work. Its survey comes next.</p>
  <form onsubmit={add} novalidate>
    <label>
      <span>Customer</span>
      <input
        class="input"
        bind:value={customer}
        maxlength="200"
        autocomplete="off"
        aria-invalid={tried && missing.customer}
        aria-describedby="customer-error"
      />
    </label>
    <p id="customer-error" class="error">{tried && missing.customer ? 'Say whose machine it is.' : ''}</p>
    <label>
      <span>Machine</span>
      <input
        class="input"
        bind:value={machine}
        maxlength="200"
        autocomplete="off"
        placeholder="for example: office, till, X-ray viewer"
        aria-invalid={tried && missing.machine}
        aria-describedby="machine-error"
      />
    </label>
    <p id="machine-error" class="error">{tried && missing.machine ? 'Say which machine it is.' : ''}</p>
    {#if refusal}<Refused {refusal} />{/if}
    <div class="buttons">
      <button class="btn action">Add the job</button>
      <a class="btn quiet" href="/">Back to the jobs</a>
    </div>
  </form>
</main>

<style>
  label span {
    display: block;
    font-weight: 600;
    margin-bottom: 0.25rem;
  }
  .buttons {
    display: flex;
    gap: 0.75rem;
    margin-top: 1rem;
  }
</style>
