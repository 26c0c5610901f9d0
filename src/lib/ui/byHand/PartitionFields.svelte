<script lang="ts">
  import ArrowLeft from '@lucide/svelte/icons/arrow-left';
  import ArrowRight from '@lucide/svelte/icons/arrow-right';
  import Trash from '@lucide/svelte/icons/trash';
  import {
    changePartition,
    type PlaceFigure,
    following,
    GIVEN_AT_FIRST,
    giving,
    changeRole,
    placeAt,
    placed,
    removePartition,
    swap,
    useBytes,
    withFileSystem,
  } from '$core/byHand';
  import { FILE_SYSTEM_NAME, endOf, ROLE_WORD, type FileSystem, type PartitionRole } from '$core/disk';

  import type { SurveyDisk, SurveyPartition } from '$core/survey';
  import { paintOf, ROLE_TAG } from '../chart/roles';
  import ChoiceField from './ChoiceField.svelte';
  import SizeField from './SizeField.svelte';
  import TextField from './TextField.svelte';

  interface Props {
    disk: SurveyDisk;
    partition: SurveyPartition;
    role: PartitionRole;
    /** What is wrong with it, in sentences. */
    problems: readonly string[];
    ondisk: (disk: SurveyDisk) => void;
  }
  let { disk, partition, role, problems, ondisk }: Props = $props();

  /** Words that fit a column; the Survey screen has the long ones. */
  const ROLES = (Object.keys(ROLE_WORD) as PartitionRole[]).map((id): [PartitionRole, string] => [
    id,
    ROLE_TAG[id],
  ]);
  const SYSTEMS: [FileSystem | 'none', string][] = [
    ...(Object.entries(FILE_SYSTEM_NAME) as [FileSystem, string][]),
    ['none', 'no volume'],
  ];

  let given = $state(GIVEN_AT_FIRST);
  const bytes = $derived({
    start: partition.first * disk.sectorSize,
    end: endOf(partition) * disk.sectorSize,
    size: partition.sectors * disk.sectorSize,
  });
  const volume = $derived(partition.volume ?? null);
  const change = (to: (one: SurveyPartition) => SurveyPartition): void =>
    ondisk(changePartition(disk, partition.number, to));

  function place(figure: PlaceFigure, value: number | null): string | undefined {
    const next = giving(figure, given);
    const extent = placed(disk, partition, figure, value ?? 0, next[1]);
    if (!extent) return 'Nothing would be left of it there.';
    given = next;
    change((one) => placeAt(disk, one, extent));
    return undefined;
  }
  const NAME: Record<PlaceFigure, string> = { size: 'Size', start: 'Start', end: 'End' };
  const label = (text: string): void =>
    change((one) => ({ ...one, volume: one.volume && { ...one.volume, label: text } }));
  function use(value: number | null): undefined {
    change((one) => ({ ...one, volume: one.volume && useBytes(one.volume, value) }));
  }
  const letter = (text: string): void =>
    change((one) => ({ ...one, letter: /[a-z]/i.exec(text)?.[0].toUpperCase() ?? null }));
</script>

<div class="fields" style:border-color="var(--{paintOf({ role })}-line)">
  <div class="acts">
    <button
      type="button"
      title="Change places with the left neighbour"
      aria-label="Change places with the left neighbour"
      onclick={() => ondisk(swap(disk, partition.number, 'left'))}><ArrowLeft size={16} /></button
    >
    <button
      type="button"
      title="Change places with the right neighbour"
      aria-label="Change places with the right neighbour"
      onclick={() => ondisk(swap(disk, partition.number, 'right'))}><ArrowRight size={16} /></button
    >
    <span class="soft">partition {partition.number}</span>
    <button
      type="button"
      class="last"
      title="Take it off the survey"
      aria-label="Take partition {partition.number} off the survey"
      onclick={() => ondisk(removePartition(disk, partition.number))}><Trash size={16} /></button
    >
  </div>
  <ChoiceField
    label="Role"
    value={role}
    options={ROLES}
    onchoose={(to) => change((one) => changeRole(disk, one, to))}
  />
  <ChoiceField
    label="System"
    value={volume?.fileSystem ?? 'none'}
    options={SYSTEMS}
    onchoose={(to) => change((one) => withFileSystem(disk, one, to === 'none' ? null : to))}
  />
  {#each ['size', 'start', 'end'] as const as figure (figure)}
    <SizeField
      label={NAME[figure]}
      bytes={bytes[figure]}
      follows={following(given) === figure}
      ongive={(value) => place(figure, value)}
    />
  {/each}
  {#if volume}
    <SizeField label="Used" optional bytes={volume.used ?? null} ongive={use} />
    <TextField label="Label" value={volume.label ?? ''} ongive={label} />
    <TextField
      label="Letter"
      value={partition.letter ?? ''}
      maxlength={2}
      placeholder="none"
      ongive={letter}
    />
  {/if}
  {#each problems as problem, i (i)}<p class="error" role="alert">{problem}</p>{/each}
</div>

<style>
  .fields {
    display: grid;
    gap: 0.3125rem;
    max-width: 15rem;
    margin-top: -0.5rem;
    padding: 0.5rem 0.25rem 0.5rem 0.5rem;
    border-left: 2px solid;
  }
  .acts {
    display: flex;
    align-items: center;
    gap: 0.125rem;
    font-size: 0.8125rem;
  }
  .acts button {
    padding: 0.25rem;
    border-radius: 0.25rem;
    color: var(--ink-soft);
  }
  .acts button:hover {
    color: var(--ink);
    background: var(--line);
  }
  .acts .last {
    margin-left: auto;
  }
  .soft {
    color: var(--ink-soft);
    padding-left: 0.25rem;
    white-space: nowrap;
  }
  .error {
    font-size: 0.8125rem;
    line-height: 1.3;
  }
</style>
