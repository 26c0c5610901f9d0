<script lang="ts">
  /** The sheet of keys, on `?`. */
  let { open = $bindable() }: { open: boolean } = $props();
  let dialog: HTMLDialogElement;
  $effect(() => {
    if (open && !dialog.open) dialog.showModal();
    if (!open && dialog.open) dialog.close();
  });
  const SHEET: [string, [string, string][]][] = [
    [
      'On the board',
      [
        ['← → ↑ ↓', 'to the next partition, to the next result'],
        ['Home End', 'to the first, to the last'],
        ['Tab', 'to the ends of the chosen partition; an arrow there takes hold'],
        ['L  W  R', 'take hold of the left end, the whole, the right end'],
        ['F', 'extend into all in reach'],
        ['K', 'shrink as far as it goes'],
        ['N', 'new volume in a dry bed'],
        ['D', 'delete'],
        ['A', 'set recovery aside; in a dry bed put it back'],
        ['Y', 'decrypt'],
        ['C', 'copy files out, or back'],
        ['T', 'move the backup table to the end'],
      ],
    ],
    [
      'While something is held',
      [
        ['← →', '1 MiB; with Shift 1 GiB'],
        ['Home End', 'to its limit on that side'],
        ['Enter', 'let go: the step is drawn'],
        ['Escape', 'leave it where it was'],
      ],
    ],
    [
      'Anywhere on this screen',
      [
        ['U', 'undo; with Shift redo'],
        ['G', 'let the planner finish it from the chosen result'],
        ['B', 'the way back from the chosen result'],
        ['?', 'this sheet'],
      ],
    ],
  ];
</script>

<dialog bind:this={dialog} onclose={() => (open = false)} aria-labelledby="keys-head">
  <h2 id="keys-head">Keys</h2>
  <div class="sheet">
    {#each SHEET as [title, lines] (title)}
      <section>
        <h3>{title}</h3>
        <dl>
          {#each lines as [key, says] (key)}
            <dt>{key}</dt>
            <dd>{says}</dd>
          {/each}
        </dl>
      </section>
    {/each}
  </div>
  <button class="btn action" onclick={() => (open = false)}>Close</button>
</dialog>

<style>
  dialog {
    margin: auto;
    padding: 1.25rem 1.5rem;
    border-radius: 0.75rem;
    border: 1px solid var(--line);
    background: var(--paper);
    color: var(--ink);
    width: min(58rem, 92vw);
  }
  dialog::backdrop {
    background: rgb(0 0 0 / 45%);
  }
  .sheet {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(16rem, 1fr));
    gap: 1.25rem;
    margin: 0.75rem 0 1rem;
  }
  h3 {
    font-weight: 700;
    margin-bottom: 0.375rem;
  }
  dl {
    display: grid;
    grid-template-columns: 5.5rem 1fr;
    gap: 0.25rem 0.75rem;
    font-size: 0.9063rem;
  }
  dt {
    font-family: var(--font-mono, monospace);
    font-weight: 650;
  }
</style>
