import { diskSpec, surveyWith, type PartitionSpec } from '../../survey/sketch';
import type { Verb } from '../../steps';
import type { SurveyDocument } from '../../survey';
import { criteriaOf, planRoutes, type RoutesRequest } from '..';
import { makeUsualKey } from '../usual';
import { randomFrom } from '../../random';
import { MIB } from '../../units';
import { isMoreUsual, listUncovered, type SmallVector, type UsualVector } from './exhaustive';
import type { SmallDisk, SmallPiece } from './slotDisk';

export interface SmallCase {
  disk: SmallDisk;
  request: RoutesRequest;
}

const CLUSTER = 4096;

/**
 * What some disks are made up for: a Windows too full to take the recovery image, with a gap before recovery; a donor
 * that is to move clear of its place; a target that is FAT32; and data volumes that may be joined to the target.
 */
const SPECIAL = ['full-windows', 'clear-donor', 'fat-target', 'joined'] as const;
/** Number of disks of which the first ones are special. */
export const OF_SO_MANY = 8;
export const FAT_TARGET = 2;
export const JOINED = 3;

/** A made-up disk of up to `most` partitions with a question to it: the same for the same seed. */
export function smallCase(seed: number, most: number, mostSteps: number): SmallCase {
  const random = randomFrom(seed);
  const upTo = (n: number) => Math.floor(random() * (n + 1));
  const pick = <T>(...of: T[]): T => of[Math.floor(random() * of.length)]!;
  const chance = (p: number) => random() < p;
  // Whole GiB let margins be whole slots, so that new volumes can be smaller; MiB need smallest sizes that are given.
  const special = SPECIAL[seed % OF_SO_MANY];
  const unitMib = special === 'fat-target' || special === 'joined' ? 1024 : pick(1, 1024);
  const unit = unitMib * MIB;
  const count = 2 + upTo(most - 2);
  const target = upTo(Math.min(2, count - 1));
  const specs: PartitionSpec[] = [];
  const pieces: SmallPiece[] = [];
  let at = 1;
  for (let i = 0; i < count; i++) {
    const next = special !== undefined && i === target + 1;
    const role =
      i === target
        ? special === 'fat-target'
          ? 'data'
          : special
            ? 'windows'
            : pick('windows', 'windows', 'windows', 'data')
        : next
          ? special === 'full-windows' || (special === 'fat-target' && chance(0.5))
            ? 'recovery'
            : 'data'
          : pick('data', 'data', 'data', 'recovery', 'efi', 'reserved', 'unknown');
    if (role === 'recovery' && pieces.some((one) => one.role === 'recovery')) continue;
    const size =
      role === 'data'
        ? (next ? 3 : 2) + upTo(3)
        : role === 'windows'
          ? (special === 'joined' ? 4 : 2) + upTo(2)
          : 1 + upTo(1);
    const behindDonor = special === 'clear-donor' && i === target + 2;
    const gap = behindDonor || (next && special === 'full-windows') || chance(0.3) ? 1 + upTo(1) : 0;
    const bare = role === 'reserved' || role === 'unknown';
    const picked = bare
      ? null
      : special === 'fat-target' && i === target
        ? ('fat32' as const)
        : next && role === 'data'
          ? pick('ntfs' as const, 'ntfs' as const, 'fat32' as const)
          : role === 'efi'
            ? ('fat32' as const)
            : role === 'data'
              ? pick(
                  'ntfs' as const,
                  'ntfs' as const,
                  'ntfs' as const,
                  'fat32' as const,
                  'exfat' as const,
                  'refs' as const,
                )
              : ('ntfs' as const);
    // With whole MiB no FAT32 has the clusters that it must have.
    const fileSystem = picked === 'fat32' && role === 'data' && unitMib === 1 ? ('ntfs' as const) : picked;
    const full = special === 'full-windows' && (i === target || next);
    const usedSlots = bare
      ? 0
      : full
        ? size
        : next
          ? 1
          : Math.max(1, Math.min(size - (chance(0.8) ? 1 : 0), 1 + upTo(size - 1)));
    // Not always whole slots: what is copied then differs from what lies where.
    const used = bare
      ? 0
      : usedSlots * unit - (chance(0.5) ? Math.floor(random() * 0.9 * 256) * CLUSTER * (unitMib / 1) : 0);
    const encrypted = (role === 'data' || role === 'windows') && fileSystem === 'ntfs' && chance(0.12);
    const offline = usedSlots + upTo(size - usedSlots);
    const running = Math.min(size, offline + upTo(1));
    const withMargin =
      unitMib === 1
        ? size
        : Math.min(size, Math.ceil((used + Math.max(2 ** 30, Math.ceil(used / 20))) / unit));
    specs.push({
      role,
      size: size * unitMib,
      gap: gap * unitMib,
      ...(bare ? {} : { used: used / MIB, fileSystem: fileSystem!, clusterSize: CLUSTER }),
      ...(bare ? {} : { smallestOffline: offline * unitMib, smallestRunning: running * unitMib }),
      ...(role === 'windows' ? { letter: 'C' } : {}),
      ...(encrypted ? { encrypted: true } : {}),
    });
    at += gap;
    pieces.push({
      number: specs.length,
      role,
      fileSystem,
      encrypted,
      first: at,
      size,
      used,
      cluster: CLUSTER,
      running,
      offline,
      anewRunning: Math.max(running, withMargin),
      anewOffline: Math.max(offline, withMargin),
      anewLeast: withMargin,
    });
    at += size;
  }
  const rest = upTo(2);
  const hidden = chance(0.1) ? 1 + upTo(1) : 0;
  const end = at + rest;
  const perMib = MIB / 512;
  const disk = diskSpec(
    {
      size: (end + hidden - 1) * unitMib + 2,
      ...(hidden > 0 ? { backupHeader: ((end - 1) * unitMib + 2) * perMib - 1 } : {}),
    },
    specs,
  );
  const survey: SurveyDocument = surveyWith(disk);
  const volumes = pieces
    .map((one, i) => (one.role === 'windows' || one.role === 'data' ? i : -1))
    .filter((i) => i >= 0);
  const windowsAt = pieces.findIndex((one) => one.role === 'windows');
  const targetIndex = windowsAt >= 0 && chance(0.85) ? windowsAt : (volumes[upTo(volumes.length - 1)] ?? -1);
  if (targetIndex < 0) return smallCase(seed + 1_000_003, most, mostSteps);
  const recovery = pieces.find((one) => one.role === 'recovery') ?? null;
  const windows = pieces.findIndex((one) => one.role === 'windows');
  const numbers = pieces.filter((_, i) => i !== targetIndex).map((one) => one.number);
  const some = (p: number) => numbers.filter(() => chance(p));
  const kit = pick('windows-only' as const, 'live-mover' as const, 'offline-mover' as const);
  const fixed = chance(0.3) ? some(0.3) : [];
  const mayDelete = chance(0.3) ? some(0.3) : [];
  const givers = pieces.filter(
    (one, i) => i !== targetIndex && (one.role === 'data' || (one.role === 'recovery' && chance(0.3))),
  );
  const donors = givers.map((one) => one.number).filter(() => chance(0.85));
  const outside = chance(0.25) ? pick(3, 8) * unit : 0;
  const grow = 1 + upTo(3);
  const goal = pieces[targetIndex]!.size + grow;
  const asked = pieces[targetIndex]!;
  const mayConvert = asked.fileSystem === 'fat32' && chance(0.8);
  const join =
    special === 'joined'
      ? pieces
          .filter((one) => one.role === 'data' && one !== asked)
          .map((one) => one.number)
          .filter(() => chance(0.8))
      : [];
  const takes = conversionTakes(asked.size * unit, asked.used);
  const windowsPiece = windows < 0 ? null : pieces[windows]!;
  const asideOk = recovery !== null && windowsPiece !== null;
  return {
    disk: {
      unit,
      end,
      relocatedEnd: end + hidden,
      pieces,
      target: targetIndex,
      goal,
      kit,
      fixed,
      mayDelete,
      convert:
        mayConvert && asked.size * unit - asked.used >= takes && !fixed.includes(asked.number) ? takes : null,
      join,
      donors,
      outside,
      recovery: asideOk ? recovery.number : null,
      windowsFree: windowsPiece ? windowsPiece.size * unit - windowsPiece.used : 0,
      behind: recovery && windows >= 0 && pieces[windows + 1] === recovery ? recovery.number : null,
      mostSteps,
    },
    request: {
      survey,
      disk: 0,
      goal: { partition: pieces[targetIndex]!.number, size: goal * unit },
      kits: [kit],
      fixed,
      mayDelete,
      donors,
      mayConvert,
      mayJoin: join,
      ...(outside > 0 ? { outside: [{ name: 'bench disk', bytes: outside }] } : {}),
    },
  };
}

/**
 * Bytes that the conversion takes, written out again: the log, a fixed part, the size by 803, and 1,280 for every 32
 * KiB in use.
 */
const conversionTakes = (size: number, used: number): number =>
  Math.ceil((64 * 2 ** 20 + 196_096 + size / 803 + (1280 * used) / 32_768) / CLUSTER) * CLUSTER;

export type Verdict =
  | { kind: 'agrees'; routes: number; converting: number; joining: number }
  | { kind: 'unknown' }
  | { kind: 'misses'; vector: readonly number[]; path: string; front: readonly (readonly number[])[] };

/**
 * Whether it lies between the two ends of a trade of bytes for idle space, which are as good in all else: of long ones
 * only the ends are listed.
 */
const isTrade = (front: readonly SmallVector[], one: SmallVector): boolean =>
  front.some((cheap) =>
    front.some(
      (thrifty) =>
        [1, 2, 3, 5].every((i) => cheap[i]! <= one[i]! && thrifty[i]! <= one[i]!) &&
        cheap[0] < one[0] &&
        one[0] < thrifty[0] &&
        thrifty[4] < one[4] &&
        one[4] < cheap[4],
    ),
  );

/**
 * Holds the planner's front against the exhaustive search.
 * @param most labels that the exhaustive search looks at before it gives up
 * @param nodes skeletons that the planner looks at before it gives up
 */
export function compare({ disk, request }: SmallCase, most: number, nodes: number): Verdict {
  const answer = planRoutes(request, { milliseconds: 60_000, nodes, steps: disk.mostSteps });
  if (!answer.ok) throw new Error(answer.problems.map((one) => one.message).join(' '));
  if (answer.value.findings.some((one) => one.code === 'stopped-early')) return { kind: 'unknown' };
  const front: SmallVector[] = answer.value.routes.map((route) => {
    const { bytesCopied, exposedBytes, restarts, steps, idle, givesUp } = criteriaOf(route);
    return [bytesCopied, exposedBytes, restarts, steps, idle, givesUp];
  });
  const missed = listUncovered(disk, front, most);
  if (missed === 'unknown' || (missed && isTrade(front, missed.vector))) return { kind: 'unknown' };
  if (missed) return { kind: 'misses', ...missed, front };
  const [route] = answer.value.routes;
  const having = (verb: Verb): number =>
    answer.value.routes.filter(({ steps }) => steps.some((step) => step.verb === verb)).length;
  const [converting, joining] = [having('convert-volume'), having('join')];
  if (!route) return { kind: 'agrees', routes: 0, converting: 0, joining: 0 };
  const first = makeUsualKey(route.usual!, criteriaOf(route)) as unknown as UsualVector;
  const before = isMoreUsual(disk, first, most);
  if (before === 'unknown') return { kind: 'unknown' };
  return before
    ? { kind: 'misses', ...before, front: [first] }
    : { kind: 'agrees', routes: front.length, converting, joining };
}
