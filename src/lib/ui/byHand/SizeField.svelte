<script lang="ts">
  import { formatExactly, parseSize } from '$core/units';

  interface Props {
    label: string;
    /** Bytes; null where it is not known. */
    bytes: number | null;
    /** It follows from the others rather than being given. */
    follows?: boolean;
    /** An empty field means: not known. */
    optional?: boolean;
    /** Takes over what was typed, or says in a sentence why it can't. */
    ongive: (bytes: number | null) => string | undefined;
  }
  let { label, bytes, follows = false, optional = false, ongive }: Props = $props();

  const id = $props.id();
  /** What is being typed; null while nothing is. */
  let typed = $state<string | null>(null);
  let message = $state('');
  const shown = $derived(typed ?? (bytes === null ? '' : formatExactly(bytes)));

  function settle(): void {
    if (typed === null) return;
    const text = typed.trim();
    if (text === '' && optional) return done(ongive(null));
    if (bytes !== null && text === formatExactly(bytes)) return done();
    const reading = parseSize(text);
    if (!reading.ok) message = reading.message;
    else if (reading.entry.kind !== 'total') message = 'Type a size, for example 990 MiB.';
    else done(ongive(reading.entry.bytes));
  }

  function done(refused?: string): void {
    message = refused ?? '';
    if (!refused) typed = null;
  }
</script>

<label class:follows>
  <span>{label}</span>
  <input
    class="input figure"
    value={shown}
    placeholder={optional ? 'not known' : ''}
    autocomplete="off"
    spellcheck="false"
    aria-invalid={message !== ''}
    aria-describedby={message ? id : undefined}
    oninput={(event) => (typed = event.currentTarget.value)}
    onchange={settle}
    onkeydown={(event) => {
      if (event.key === 'Escape') done();
      if (event.key === 'Enter') settle();
    }}
  />
</label>
{#if message}<p class="error" {id}>{message}</p>{/if}

<style>
  label {
    display: grid;
    grid-template-columns: 3.1rem minmax(0, 1fr);
    align-items: center;
    gap: 0.375rem;
    font-size: 0.8125rem;
  }
  span {
    color: var(--ink-soft);
  }
  .input {
    padding: 0.1875rem 0.4375rem;
    font-size: 0.8125rem;
    border-radius: 0.375rem;
    letter-spacing: -0.02em;
  }
  .follows .input {
    border-style: dashed;
  }
  .error {
    font-size: 0.8125rem;
    line-height: 1.25;
  }
</style>
