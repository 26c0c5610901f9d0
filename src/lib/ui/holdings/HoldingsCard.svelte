<script lang="ts">
  import { choiceOf, ruleOf, sumOf, type Choice, type CleanupReport } from '$core/holdings';
  import { formatSize } from '$core/units';

  interface Props {
    number: number;
    holdings: { found: CleanupReport[]; choices: Choice[] } | null;
    /** What a volume is called, by its place. */
    nameOf: (place: { disk: number; partition: number }) => string;
  }
  let { number, holdings, nameOf }: Props = $props();

  const lowerFirst = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);
  const lines = $derived(
    (holdings?.found ?? []).map((found) => ({
      name: nameOf(found),
      used: found.used,
      canGo: found.goes.reduce((sum, one) => sum + one.bytes, 0),
      largest: found.goes.slice(0, 3).flatMap(({ id, bytes }) => {
        const rule = ruleOf(id);
        return rule ? [`${lowerFirst(rule.name)} ${formatSize(bytes)}`] : [];
      }),
      ticked: sumOf(found, choiceOf(holdings!.choices, found)),
    })),
  );
</script>

<section aria-label="What fills it">
  <div>
    <h2>What fills {lines.length === 1 ? 'it' : 'them'}</h2>
    {#each lines as line, i (i)}
      <p>
        <b>{line.name}:</b>
        {#if line.canGo > 0}
          {formatSize(line.canGo)} of {formatSize(line.used)} could go first: {line.largest.join(', ')}{line
            .largest.length < 3
            ? ''
            : ' …'}{line.ticked.goes + line.ticked.moved > 0
            ? `. Ticked: ${formatSize(line.ticked.goes + line.ticked.moved)}`
            : ''}.
        {:else}nothing was found that could go first.{/if}
      </p>
    {:else}
      <p class="soft">
        Not known yet. A disk image tells it, and so does the script on the machine: before anything moves,
        look at what can go.
      </p>
    {/each}
  </div>
  <a class="btn quiet" href="/jobs/{number}/survey/holdings"
    >{lines.length > 0 ? 'See what fills it' : 'How to find out'}</a
  >
</section>

<style>
  section {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 0.75rem 1.5rem;
    padding: 0.75rem 1.125rem;
    border: 1px solid var(--line);
    border-radius: 0.75rem;
    background: var(--card);
  }
  section h2 {
    margin-bottom: 0.125rem;
  }
</style>
