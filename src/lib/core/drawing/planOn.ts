import type { Kit } from '../tools';
import { planRoutes, type Planning, type Route, type RoutesRequest, type Task } from '../planning';
import { bytesOf, diskBytes, endOf, nameInSentence } from '../disk';
import { type Outcome, refusal, success } from '../problem';
import type { SurveyDisk, SurveyDocument, SurveyPartition } from '../survey';
import { applyEdit } from './edit';
import { follow } from './follow';
import { intentOf } from './fromRoute';
import type { Drawing } from './drawing';
import type { Layout } from '../steps';

/** The survey that the disk would give where a drawing has brought it. */
export function surveyAt(
  survey: SurveyDocument,
  diskNumber: number,
  task: Task,
  layout: Layout,
): SurveyDocument {
  const disks = survey.disks.map((disk) => (disk.number === diskNumber ? diskAt(disk, task, layout) : disk));
  return { ...survey, disks };
}

function diskAt(disk: SurveyDisk, task: Task, layout: Layout): SurveyDisk {
  const found = new Map(disk.partitions.map((partition) => [partition.number, partition]));
  const partitions = layout.partitions.map((now): SurveyPartition => {
    const { number, first, sectors, volume } = now;
    const bytes = bytesOf(task.disk, now);
    const before = found.get(number);
    // A system partition that became the EFI system partition has another volume.
    const other = before !== undefined && now.role === 'efi' && layout.table !== task.disk.table;
    if (before && !other) {
      const encryption = layout.decrypted.includes(number) ? null : (before.volume?.encryption ?? null);
      const resized = sectors !== before.sectors;
      // The places of its files are not known any more once a volume was made smaller.
      const changed = resized
        ? { size: bytes, clusterMap: null, lastUsed: null, lastImmovable: null, immovableFile: null }
        : {};
      const fileSystem = before.volume?.fileSystem;
      // Only a conversion makes NTFS of what was something else.
      const convertedVolume =
        volume?.fileSystem === 'ntfs' && (fileSystem === 'fat32' || fileSystem === 'fat16')
          ? {
              fileSystem: volume.fileSystem,
              used: volume.used,
              clusterSize: volume.clusterSize,
              clusterMap: null,
            }
          : {};
      // Files that came from another volume, or went to one.
      const filled =
        volume && volume.used !== (before.volume?.used ?? null)
          ? { used: volume.used, clusterMap: null }
          : {};
      const kept = before.volume
        ? { ...before.volume, ...changed, ...convertedVolume, ...filled, encryption }
        : before.volume;
      const { type, attributes, role } = now;
      const typed = 'fileSystem' in convertedVolume ? { type } : {};
      const table = layout.table === task.disk.table ? typed : { type, attributes, role };
      return { ...before, ...table, first, sectors, ...(kept === undefined ? {} : { volume: kept }) };
    }
    const { type, attributes, name, kind, role } = now;
    const made = volume && {
      fileSystem: volume.fileSystem,
      label: volume.label,
      clusterSize: volume.clusterSize,
      size: bytes,
      used: volume.used,
    };
    return { number, first, sectors, type, attributes, name, kind, role, ...(made ? { volume: made } : {}) };
  });
  if (layout.table !== task.disk.table) return converted(disk, layout, partitions);
  const sectors = Math.max(
    disk.sectors,
    endOf(layout.relocated) + disk.sectors - endOf(task.disk.usableRelocated),
  );
  const moved = endOf(layout.usable) === endOf(layout.relocated);
  const table = moved ? { backupHeader: null, lastUsable: null } : {};
  return { ...disk, sectors, partitions, ...table };
}

/** A disk whose table was converted on the way: Windows gave it, and every partition, GUIDs that nobody knows yet. */
function converted(disk: SurveyDisk, { table }: Layout, partitions: readonly SurveyPartition[]): SurveyDisk {
  return {
    ...disk,
    table,
    id: null,
    backupHeader: null,
    lastUsable: null,
    partitions: partitions.map((one) => ({ ...one, id: null, active: false })),
  };
}

/**
 * Lets the planner bring a drawing to the goal from where it stands after its first `upTo` steps: the drawing with
 * those, and the best found route behind them. Problem codes: those of the planner, `aside`, `reached`, `no-way`.
 */
export function finished(
  task: Task,
  kit: Kit,
  request: RoutesRequest,
  drawing: Drawing,
  upTo: number,
  planning: Planning = {},
): Outcome<{ drawing: Drawing; route: Route }> {
  const begun = { ...drawing, steps: drawing.steps.slice(0, upTo) };
  const { results, start, reached } = follow(task, kit, begun);
  const layout = results.at(-1)?.after ?? start;
  if (layout.aside.length > 0) {
    const message =
      'The recovery partition is set aside here. Put it back first, or go on from before that step.';
    return refusal('aside', message);
  }
  if (reached) return refusal('reached', 'The goal is reached here: nothing is left to be planned.');
  const here = new Set(layout.partitions.map((one) => one.number));
  const still = (numbers: number[] | undefined) => numbers?.filter((number) => here.has(number));
  // A volume that the drawing makes is never shrunk, and what was held was given already.
  const donors = [...task.donors].filter((number) => here.has(number));
  const answer = planRoutes(
    {
      ...request,
      survey: surveyAt(request.survey, request.disk, task, layout),
      kits: [kit.id],
      donors,
      gives: {},
      fixed: still(request.fixed) ?? [],
      mayDelete: still(request.mayDelete) ?? [],
      mayJoin: still(request.mayJoin) ?? [],
      outside: [...layout.outside].map(([name, bytes]) => ({ name, bytes })),
    },
    planning,
  );
  if (!answer.ok) return answer;
  const route = answer.value.routes[0];
  if (!route) {
    const why = answer.value.findings[0];
    return refusal(
      'no-way',
      `From here the planner finds no way to the goal with this kit. ${why?.detail ?? ''}`.trim(),
    );
  }
  const next = applyEdit(begun, {
    kind: 'add',
    at: begun.steps.length,
    intents: route.steps.map((step) => intentOf(step, route.steps)),
  });
  return success({ drawing: next, route });
}

/** Differences of the disk as it stands from the disk as found, in sentences; empty where there are none. */
export function differences(task: Task, layout: Layout): string[] {
  const { disk } = task;
  const now = new Map(layout.partitions.map((one) => [one.number, one]));
  const lines = disk.partitions.flatMap((found) => {
    const one = now.get(found.number);
    const name = nameInSentence(found);
    if (!one) return layout.holds.has(found.number) ? [] : [`${name} is not there.`];
    const lines: string[] = [];
    if (one.first !== found.first) lines.push(`${name} starts elsewhere.`);
    if (one.sectors !== found.sectors) lines.push(`${name} has another size.`);
    if (one.volume?.fileSystem !== found.volume?.fileSystem) lines.push(`${name} has another file system.`);
    else if (one.volume?.used !== found.volume?.used) lines.push(`${name} holds other files.`);
    if (layout.decrypted.includes(found.number)) lines.push(`${name} is not encrypted any more.`);
    return lines;
  });
  if (layout.table !== disk.table) return ['The partition table is of another kind.', ...lines];
  if (endOf(layout.relocated) > endOf(disk.usableRelocated)) {
    lines.push(`The disk is larger than its ${diskBytes(disk)} bytes as found.`);
  }
  return lines;
}
