<script lang="ts">
  import { isEstimated } from '$core/tools';
  import { bytesOf, nameInSentence, type Disk, type Partition } from '$core/disk';
  import { formatExactly, formatShare, formatSize, parseSize } from '$core/units';

  interface Props {
    disk: Disk;
    donors: readonly { partition: Partition; spare: number }[];
    /** Amounts held, in bytes, by number. */
    gives: Record<string, number>;
    ongives: (gives: Record<string, number>) => void;
  }
  let { disk, donors, gives, ongives }: Props = $props();

  let messages = $state<Record<number, string>>({});

  function hold({ partition, spare }: { partition: Partition; spare: number }, text: string): void {
    const { [String(partition.number)]: _, ...others } = gives;
    void _;
    messages = { ...messages, [partition.number]: '' };
    if (text.trim() === '') return ongives(others);
    const reading = parseSize(text);
    const say = (message: string): void => {
      messages = { ...messages, [partition.number]: message };
    };
    if (!reading.ok) return say(reading.message);
    if (reading.entry.kind === 'share') return say('Type an amount, for example 60 GiB.');
    if (reading.entry.bytes > spare) return say(`It can give ${formatSize(spare)} at most.`);
    ongives({ ...others, [partition.number]: reading.entry.bytes });
  }
  const after = (partition: Partition): string => {
    const used = partition.volume?.used;
    const size = bytesOf(disk, partition);
    if (used == null) return '';
    const held = gives[String(partition.number)];
    const before = `${formatSize(size - used)} free (${formatShare(size - used, size)})`;
    if (held === undefined) return before;
    const left = size - held;
    return `${before}, then ${formatSize(left - used)} (${formatShare(left - used, left)})`;
  };
</script>

<ul>
  {#each donors as donor (donor.partition.number)}
    {@const { partition, spare } = donor}
    <li>
      <span class="who"
        ><b>{nameInSentence(partition)}</b><span class="soft"
          >{after(partition)}{#if spare > 0 && partition.volume && isEstimated(partition.volume, 'offline')};
            how far it shrinks is an estimate{/if}</span
        ></span
      >
      {#if spare > 0}
        <label>
          <span class="visually-hidden">Amount that {nameInSentence(partition)} gives</span>
          <input
            class="input figure"
            placeholder="free, up to {formatSize(spare)}"
            value={gives[String(partition.number)] === undefined
              ? ''
              : formatExactly(gives[String(partition.number)]!)}
            aria-invalid={!!messages[partition.number]}
            autocomplete="off"
            onchange={(event) => hold(donor, event.currentTarget.value)}
          />
        </label>
      {:else}<span class="figure soft">nothing to spare</span>{/if}
      {#if messages[partition.number]}<p class="error">{messages[partition.number]}</p>{/if}
    </li>
  {/each}
</ul>

<style>
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 14.5rem;
    gap: 0.25rem 1rem;
    align-items: center;
    padding: 0.375rem 0;
    border-top: 1px solid var(--line);
  }
  .who {
    display: grid;
  }
  .soft {
    color: var(--ink-soft);
    font-size: 0.875rem;
  }
  .figure.soft {
    text-align: right;
  }
  .input {
    padding: 0.25rem 0.625rem;
    font-size: 0.875rem;
  }
  .error {
    grid-column: 1 / 3;
  }
</style>
