import { Type, type Static } from 'typebox';
import { closed, Bytes, orNull } from '../shapes';
import { WINDOWS, canExtend, isConverting } from '../tools';
import {
  makeBlocks,
  KeepFreeShape,
  findLargestSizes,
  NOT_TO_BE_GONE_BY,
  SurveyWithin,
  taskOf,
} from '../planning';
import {
  alignment,
  findBeyondTable,
  bytesOf,
  endOf,
  nameInSentence,
  unallocated,
  type Disk,
  type Extent,
  type Partition,
} from '../disk';
import { FindingShape, type Finding } from '../finding';
import { failure, success, type Outcome } from '../problem';
import { machineOf, type Machine } from '../survey';
import { formatSize } from '../units';
import { findAround } from './around';
import { findBehind } from './behind';
import { findDiskFindings } from './disk';
import { findTargetEncryption } from './encryption';
import { findMachineFindings } from './machineState';
import type { Situation } from './situation';
import { computeSpare } from './spare';
import { findOwnVolume, findTargetFindings } from './targetState';
import { findVolumeFindings } from './volumes';

const Number = Type.Integer({ minimum: 0, maximum: 1_000_000 });

/** Request for a diagnosis, as it travels (contract, `POST /api/v1/diagnosis`). */
export const DiagnosisRequestShape = closed({
  survey: SurveyWithin,
  disk: Number,
  partition: Number,
  /** Free room that stays in each donor, as for routes. */
  keepFree: Type.Optional(KeepFreeShape),
});
export type DiagnosisRequest = Static<typeof DiagnosisRequestShape>;

export const DiagnosisShape = closed({
  target: closed({
    disk: Number,
    partition: Number,
    name: Type.String(),
    size: Bytes,
    used: orNull(Bytes),
  }),
  canExtendNow: Type.Boolean(),
  /** Bytes directly behind the target, unallocated as the table stands. */
  inReach: Bytes,
  /** Bytes that the target can have in all, by kit. */
  largest: Type.Record(Type.String(), Bytes),
  /** The plain answer in one sentence, and one on where the room is. */
  headline: Type.String(),
  summary: Type.String(),
  /** From the target outwards, then the machine. */
  findings: Type.Array(FindingShape),
});
export type Diagnosis = Static<typeof DiagnosisShape>;

/** Why the target can't simply grow, and what could be done. Problem codes: no-disk, no-partition. */
export function diagnose(request: DiagnosisRequest): Outcome<Diagnosis> {
  const machine = machineOf(request.survey);
  // The same checks as for a route that asks for all there is.
  const task = taskOf(machine, {
    survey: request.survey,
    disk: request.disk,
    goal: { partition: request.partition, max: true },
    ...(request.keepFree ? { keepFree: request.keepFree } : {}),
  });
  if (!task.ok) {
    return failure(
      ...task.problems.map((problem) => ({
        ...problem,
        path: problem.path.replace('/goal/partition', '/partition'),
      })),
    );
  }
  const { disk, target } = task.value;
  const blocks = makeBlocks(machine, disk, target);
  const misleading = blocks.some(({ code }) => NOT_TO_BE_GONE_BY.includes(code));
  const found = situationOf(machine, disk, target);
  const situation = misleading ? { ...found, inReach: 0, extendable: 0 } : found;
  const { inReach } = situation;
  const canExtendNow = inReach > 0 && blocks.length === 0 && canExtend(WINDOWS, target);
  return success({
    target: {
      disk: disk.number,
      partition: target.number,
      name: nameInSentence(target),
      size: bytesOf(disk, target),
      used: target.volume?.used ?? null,
    },
    canExtendNow,
    inReach,
    largest:
      blocks.length > 0
        ? Object.fromEntries(task.value.kits.map((kit) => [kit.id, bytesOf(disk, target)]))
        : findLargestSizes(task.value),
    headline: headlineOf(situation, blocks, canExtendNow),
    summary: misleading ? NOTHING_ELSE : summaryOf(situation),
    findings: [
      ...blocks,
      ...(misleading ? [] : layoutFindings(situation)),
      ...findMachineFindings(situation),
    ],
  });
}

const NOTHING_ELSE = 'What else could be said of this disk would mislead as long as that is so.';

/** From the target outwards. */
const layoutFindings = (situation: Situation): Finding[] => [
  ...findTargetEncryption(situation),
  ...findTargetFindings(situation),
  ...findBehind(situation),
  ...findVolumeFindings(situation),
  ...findAround(situation),
  ...findOwnVolume(situation),
  ...findDiskFindings(situation),
];

function situationOf(machine: Machine, disk: Disk, target: Partition): Situation {
  const logical = target.kind === 'logical';
  const worth = (pieces: Extent[]): Extent[] => pieces.filter((gap) => gap.sectors >= alignment(disk));
  const gaps = worth(logical ? gapsInExtended(disk) : unallocated(disk.usableRelocated, disk.partitions));
  const now = logical ? gaps : worth(unallocated(disk.usable, disk.partitions));
  const adjacent = now.find((gap) => gap.first === endOf(target));
  return {
    machine,
    disk,
    target,
    behind: disk.partitions.filter(
      (partition) => partition.first >= endOf(target) && (partition.kind === 'logical') === logical,
    ),
    gaps,
    beyond: logical ? null : findBeyondTable(disk, disk.usable, disk.usableRelocated),
    inReach: adjacent ? bytesOf(disk, adjacent) : 0,
    extendable: adjacent ? wholeMib(disk, adjacent) : 0,
  };
}

/** Bytes of a piece behind a partition that it can take: it ends on a whole MiB then (domain facts 1). */
function wholeMib(disk: Disk, { first, sectors }: Extent): number {
  const slot = alignment(disk);
  return Math.max(0, Math.floor((first + sectors) / slot) * slot - first) * disk.sectorSize;
}

/** Unallocated space among logical drives, without the MiB that each keeps before it for its record. */
function gapsInExtended(disk: Disk): Extent[] {
  const extended = disk.partitions.find((partition) => partition.kind === 'extended');
  if (!extended) return [];
  const drives = disk.partitions.filter((partition) => partition.kind === 'logical');
  return unallocated(
    extended,
    drives.map(({ first, sectors }) => ({ first, sectors })),
  ).map((gap) => ({
    first: gap.first,
    sectors: endOf(gap) === endOf(extended) ? gap.sectors : gap.sectors - alignment(disk),
  }));
}

function headlineOf(situation: Situation, blocks: readonly Finding[], canExtendNow: boolean): string {
  const name = nameInSentence(situation.target);
  if (canExtendNow) return `Windows can extend ${name} now by ${formatSize(situation.extendable)}.`;
  return `Windows cannot extend ${name} now, because ${reasonOf(situation, blocks)}.`;
}

function reasonOf({ target, behind, disk, inReach, beyond }: Situation, blocks: readonly Finding[]): string {
  const lowerFirst = (text: string) =>
    /^[A-Z][a-z]/.test(text) && !text.startsWith('Windows') ? text[0]!.toLowerCase() + text.slice(1) : text;
  if (blocks[0]) return lowerFirst(blocks[0].title);
  if (inReach > 0 && isConverting(target)) {
    const { state } = target.volume!.encryption;
    return `it is still being ${state === 'encrypting' ? 'encrypted' : 'decrypted'}: its size is changed only once that has ended`;
  }
  if (inReach > 0) return 'it does not extend this file system';
  const [next] = behind;
  if (next) return `${nameInSentence(next)} stands directly behind it`;
  if (beyond) return `the ${formatSize(bytesOf(disk, beyond))} behind it lie beyond the partition table`;
  return `${nameInSentence(target)} reaches the end of disk ${disk.number}`;
}

/** Unallocated space beyond the table, as part of a sentence. */
function beyondWords(disk: Disk, beyond: Extent | null, sum: number): string {
  if (!beyond) return '';
  const size = formatSize(bytesOf(disk, beyond));
  return `, ${size === formatSize(sum) ? 'all' : size} of it beyond the table`;
}

function summaryOf({ disk, target, behind, gaps, beyond }: Situation): string {
  const sum = gaps.reduce((total, gap) => total + bytesOf(disk, gap), 0);
  const free =
    sum === 0
      ? 'Nothing is unallocated on this disk.'
      : `${formatSize(sum)} of this disk is unallocated${beyondWords(disk, beyond, sum)}.`;
  const donors = behind
    .map((partition, i) => ({ partition, away: i + 1, spare: computeSpare(disk, partition) }))
    .filter(({ spare }) => spare > 0)
    .sort((a, b) => b.spare - a.spare);
  const [best] = donors;
  if (!best) return free;
  const away = best.away === 1 ? 'inside it' : `${best.away} partitions away from ${nameInSentence(target)}`;
  return `${free} ${nameInSentence(best.partition)} could spare up to ${formatSize(best.spare)}, but that room lies ${away}.`;
}
