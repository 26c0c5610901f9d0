import { planRoutes, type Route } from '$core/planning';
import { type Outcome, refusal, success } from '$core/problem';
import type { Step } from '$core/steps';
import { machineOf, surveyFromImage, type SurveyDocument } from '$core/survey';
import { MIB } from '$core/units';
import type { Disk } from '$core/disk';
import { openDisk } from './openDisk';

/** The common case of a virtual machine: its disk becomes larger, and Windows gets all of the new room. */
export interface Enlarging {
  /** Disk right after it has its new size. */
  disk: Disk;
  steps: Step[];
  /** Bytes of the Windows volume, before and after. */
  from: number;
  to: number;
}

/**
 * Surveys an image and plans what makes its Windows volume larger by all that the disk grows: recovery behind it moves
 * to the end.
 *
 * Problem codes: those of the survey, `no-windows`, `not-larger`, `no-route`.
 * @param bytes of the disk afterwards
 */
export async function planEnlarging(image: string, bytes: number): Promise<Outcome<Enlarging>> {
  const opened = await openDisk(image);
  if (!opened.ok) return opened;
  let survey: SurveyDocument;
  let sectorSize: number;
  try {
    sectorSize = opened.value.device.sectorSize;
    if (bytes <= opened.value.device.size)
      return refusal('not-larger', 'The disk has that size already, or a larger one.');
    const made = await surveyFromImage(opened.value.device, {
      machineName: 'image',
      takenAt: new Date().toISOString().replace(/\.\d+/, ''),
    });
    if (!made.ok) return made;
    survey = made.value;
  } finally {
    await opened.value.close();
  }
  const found = survey.disks[0]!;
  const before = machineOf(survey).disks[0]!;
  const windows = before.partitions.find(({ role }) => role === 'windows');
  if (!windows)
    return refusal(
      'no-windows',
      'No Windows volume was found on the image; plan the route on the job’s screens.',
    );
  // Only a machine that runs tells that its recovery is in use; behind Windows it is taken for that.
  const recovery = before.partitions.find(({ role, first }) => role === 'recovery' && first > windows.first);
  if (recovery && !survey.machine.recoveryEnvironment)
    survey.machine.recoveryEnvironment = { enabled: true, disk: found.number, partition: recovery.number };
  const diskSectors = Math.floor(bytes / sectorSize);
  const grown = Math.floor(((diskSectors - found.sectors) * sectorSize) / MIB) * MIB;
  // The plan is made for the disk as it is once it is enlarged: its table still ends where it ended.
  found.backupHeader ??= found.table === 'gpt' ? found.sectors - 1 : null;
  found.sectors = diskSectors;
  found.media = 'virtual';
  const from = windows.sectors * sectorSize;
  for (const less of [0, 1, 2]) {
    const size = from + grown - less * MIB;
    const answer = planRoutes({
      survey,
      disk: found.number,
      goal: { partition: windows.number, size },
      kits: ['offline-mover'],
      donors: [],
    });
    if (!answer.ok) return answer;
    const route: Route | undefined = answer.value.routes[0];
    if (!answer.value.reached || !route) continue;
    const enlarge = {
      verb: 'enlarge-disk',
      tool: route.steps[0]!.tool,
      partition: null,
      id: null,
      from: null,
      to: null,
      bytesCopied: 0,
      exposedBytes: 0,
      seconds: { low: 0, high: 0 },
      exposedSeconds: { low: 0, high: 0 },
      why: 'The disk becomes larger; its new room appears at the end.',
      diskSectors,
    } as const satisfies Step;
    return success({
      disk: { ...before, media: 'virtual' },
      steps: [enlarge, ...route.steps],
      from,
      to: size,
    });
  }
  return refusal(
    'no-route',
    'No route was found that gives Windows all of the new room. Plan it on the job’s screens.',
  );
}
