<script lang="ts">
  import { stepPartition, type Step } from '$core/steps';
  import { bytesOf, plainName, type Disk } from '$core/disk';
  import { formatDuration, formatMib, formatSize } from '$core/units';
  import { toolNameIn } from '../workshop';
  import { stepName } from './stepName';

  /** The same content as the tide chart, as a table. */
  interface Props {
    disk: Disk;
    steps: readonly Step[];
    toolName?: (id: string) => string;
  }
  let { disk, steps, toolName = toolNameIn({}) }: Props = $props();

  const place = (step: Step, which: 'from' | 'to') => {
    const extent = step[which];
    return extent
      ? `${formatMib(extent.first * disk.sectorSize, disk.sectorSize)}, ${formatMib(bytesOf(disk, extent), disk.sectorSize)} long`
      : '–';
  };
  const who = (step: Step) => {
    const partition = disk.partitions.find((candidate) => candidate.number === step.partition);
    if (partition) return `${plainName(partition)}, partition ${partition.number}`;
    return step.partition === null ? 'whole disk' : stepPartition(disk, steps, step);
  };
</script>

<div class="scroll">
  <table>
    <caption class="visually-hidden">Steps of the route with their exact figures</caption>
    <thead>
      <tr
        ><th>Step</th><th>What</th><th>Tool</th><th>From</th><th>To</th><th>Copies</th><th>Takes</th><th
          >Exposed</th
        ></tr
      >
    </thead>
    <tbody>
      {#each steps as step, i (i)}
        <tr>
          <th scope="row">{i + 1}</th>
          <td><b>{stepName(step, disk).verb}</b> {who(step)}</td>
          <td>{toolName(step.tool)}</td>
          <td class="figure">{place(step, 'from')}</td>
          <td class="figure">{place(step, 'to')}</td>
          <td class="figure">{formatSize(step.bytesCopied)}</td>
          <td class="figure">{formatDuration(step.seconds)}</td>
          <td class="figure">{formatDuration(step.exposedSeconds)}</td>
        </tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .scroll {
    overflow-x: auto;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 0.8125rem;
  }
  th,
  td {
    text-align: left;
    padding: 0.375rem 0.75rem 0.375rem 0;
    border-top: 1px solid var(--line);
    vertical-align: top;
  }
  thead th {
    color: var(--ink-soft);
    font-weight: 600;
    border-top: 0;
  }
</style>
