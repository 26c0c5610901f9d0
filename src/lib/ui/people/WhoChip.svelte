<script lang="ts">
  import ArrowLeftRight from '@lucide/svelte/icons/arrow-left-right';
  import Face from './Face.svelte';
  import { forgetPages } from './leave';
  import SignIn from './SignIn.svelte';

  /** Who is signed in, and the quick change to somebody else who shares the tablet. */
  let { person }: { person: { id: number; name: string; role: string } } = $props();
  let dialog: HTMLDialogElement;
  let open = $state(false);
  async function changed(): Promise<void> {
    await forgetPages();
    location.reload();
  }
</script>

<span class="who">
  <a href="/me" title="{person.name}, {person.role}"
    ><Face name={person.name} /><span class="name">{person.name}</span></a
  >
  <button
    type="button"
    aria-label="Somebody else works here now"
    title="Somebody else works here now"
    onclick={() => {
      open = true;
      dialog.showModal();
    }}><ArrowLeftRight size={18} /></button
  >
</span>
<dialog bind:this={dialog} onclose={() => (open = false)} aria-label="Who works here now?">
  <h2>Who works here now?</h2>
  {#if open}<SignIn ondone={() => void changed()} present={person.id} />{/if}
  <p class="stay">
    <button type="button" class="btn btn-sm quiet" onclick={() => dialog.close()}>{person.name} stays</button>
  </p>
</dialog>

<style>
  .who {
    display: inline-flex;
    align-items: center;
    gap: 0.625rem;
  }
  .who a {
    display: inline-flex;
    align-items: center;
    gap: 0.5rem;
    font-weight: 600;
    max-width: 14rem;
  }
  .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .who button {
    display: grid;
    color: var(--ink-soft);
    cursor: pointer;
    padding: 0.25rem;
  }
  .who button:hover {
    color: var(--ink);
  }
  dialog {
    margin: auto;
    width: min(36rem, calc(100vw - 2rem));
    padding: 1.5rem;
    background: var(--sheet);
    color: var(--ink);
    border: 1px solid var(--line-strong);
    border-radius: 0.75rem;
  }
  dialog::backdrop {
    background: rgb(16 25 29 / 0.55);
  }
  h2 {
    font-size: 1.25rem;
    font-weight: 700;
    margin-bottom: 1rem;
  }
  .stay {
    margin-top: 1.25rem;
  }
  @media (max-width: 52rem) {
    .name {
      display: none;
    }
  }
</style>
