<script lang="ts">
  import { bytesOf, nameInSentence, type Disk, type Partition } from '$core/disk';
  import { explainTableLimit } from '$core/otherWays';
  import type { GoalOptions } from '$core/planning';
  import { canConvert, tableConversion } from '$core/tools';
  import { formatExactly, formatSize, parseSize } from '$core/units';

  interface Props {
    disk: Disk;
    target: Partition;
    /** Volumes whose files may go into a folder of the target. */
    joinable: readonly Partition[];
    options: GoalOptions;
    onoptions: (options: GoalOptions) => void;
  }
  let { disk, target, joinable, options, onoptions }: Props = $props();

  const others = $derived(
    disk.partitions.filter((partition) => partition !== target && partition.kind !== 'extended'),
  );
  const has = (list: number[] | undefined, number: number): boolean => list?.includes(number) ?? false;
  function toggle(field: 'fixed' | 'mayDelete' | 'mayJoin', number: number): void {
    const list = options[field] ?? [];
    const next = list.includes(number) ? list.filter((one) => one !== number) : [...list, number];
    onoptions({ ...options, [field]: next });
  }
  const place = $derived(options.outside?.[0]);
  let message = $state('');
  function outside(text: string): void {
    message = '';
    if (text.trim() === '') return onoptions({ ...options, outside: [] });
    const reading = parseSize(text);
    if (!reading.ok || reading.entry.kind === 'share') {
      message = reading.ok ? 'Type a size, for example 500 GiB.' : reading.message;
      return;
    }
    onoptions({ ...options, outside: [{ name: 'bench disk', bytes: reading.entry.bytes }] });
  }
</script>

{#snippet boxes(
  field: 'fixed' | 'mayDelete' | 'mayJoin',
  legend: string,
  partitions: readonly Partition[],
  note: (partition: Partition) => string,
)}
  <fieldset>
    <legend>{legend}</legend>
    {#each partitions as partition (partition.number)}
      <label
        ><input
          type="checkbox"
          checked={has(options[field], partition.number)}
          onchange={() => toggle(field, partition.number)}
        />{nameInSentence(partition)}<span class="soft">{note(partition)}</span></label
      >
    {/each}
  </fieldset>
{/snippet}

<div class="two">
  {@render boxes('fixed', 'Stays as it is', others, ({ number }) => `partition ${number}`)}
  {@render boxes('mayDelete', 'May be deleted, with the owner’s word', others, (one) =>
    formatSize(bytesOf(disk, one)),
  )}
</div>
<label class="place">
  <span>Room on another disk to copy files to</span>
  <input
    class="input figure"
    value={place ? formatExactly(place.bytes) : ''}
    placeholder="none"
    aria-invalid={message !== ''}
    autocomplete="off"
    onchange={(event) => outside(event.currentTarget.value)}
  />
</label>
{#if message}<p class="error">{message}</p>{/if}
{#if joinable.length > 0}
  <div class="line-set">
    {@render boxes(
      'mayJoin',
      `May be joined: its files go into a folder of ${nameInSentence(target)}, and its letter is gone`,
      joinable,
      ({ volume }) => `${formatSize(volume?.used ?? 0)} of files`,
    )}
  </div>
{/if}
{#if canConvert(target)}
  <label class="line"
    ><input
      type="checkbox"
      checked={options.mayConvert ?? false}
      onchange={(event) => onoptions({ ...options, mayConvert: event.currentTarget.checked })}
    />{nameInSentence(target)} may be converted to NTFS (there is no way back)</label
  >
{/if}
{#if options.mayConvertTable || (explainTableLimit(disk) !== '' && tableConversion(disk).ok)}
  <label class="line"
    ><input
      type="checkbox"
      checked={options.mayConvertTable ?? false}
      onchange={(event) => onoptions({ ...options, mayConvertTable: event.currentTarget.checked })}
    />The partition table may be converted to GPT (the machine must start by UEFI; there is no way back)</label
  >
{/if}
{#if disk.media === 'virtual'}
  <label class="line"
    ><input
      type="checkbox"
      checked={options.mayEnlargeDisk ?? false}
      onchange={(event) => onoptions({ ...options, mayEnlargeDisk: event.currentTarget.checked })}
    />This virtual disk may be enlarged</label
  >
{/if}

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 1rem;
  }
  .line-set {
    margin-top: 0.75rem;
  }
  legend {
    font-weight: 600;
    font-size: 0.875rem;
    padding-bottom: 0.25rem;
  }
  fieldset label,
  .line {
    display: flex;
    align-items: center;
    gap: 0.5rem;
    padding: 0.125rem 0;
    font-size: 0.875rem;
  }
  .soft {
    color: var(--ink-soft);
    margin-left: auto;
  }
  .place {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 9rem;
    align-items: center;
    gap: 0.75rem;
    padding-top: 0.75rem;
    font-size: 0.875rem;
  }
  .place .input {
    padding: 0.25rem 0.625rem;
  }
</style>
