import { existsSync } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { withLayout, type ExecutionProof } from '$core/executor';
import { success, type Outcome } from '$core/problem';
import { machineOf } from '$core/survey';
import { MIB } from '$core/units';
import { executeRouteOn } from '../../executor/executeRoute';
import { openImageToWorkOn } from './imageDisk';
import { proveStandInLayout } from './layout';
import type { RehearsalInput } from './rehearsing';
import { openStandIn } from './standInDisk';
import { computeFactor, RunReporter, type Lead } from './runReporter';

const HOW = { forward: 'resume', back: 'back', cancel: 'end' } as const;
/**
 * Large files of a stand-in hold next to nothing: what is not empty in them proves them. Of an image every byte is
 * read.
 */
const FINGERPRINT_ABOVE = 2 * MIB;

/**
 * Carries a route out on a stand-in that is made for it, on a copy of an image, or on the image itself, and proves it;
 * or goes on, or takes the present step back.
 *
 * Problem codes: those of `carryOut`, of the stand-in and of {@link openImageToWorkOn}.
 * @returns the proof; null after a step was taken back
 * @throws Stopped
 */
export async function rehearse(what: RehearsalInput, lead: Lead): Promise<Outcome<ExecutionProof | null>> {
  const { site, survey, steps } = what;
  const disk = machineOf(survey).disks.find((one) => one.number === what.disk)!;
  const standIn = site.place === 'stand-in';
  // A stand-in is watched in time-lapse; an image goes at the drive's own rate, so that the server's other work goes
  // on.
  const reporter = new RunReporter(what.progress, standIn ? computeFactor(steps) : 1, lead);
  const ground =
    site.place === 'stand-in'
      ? await openStandIn(site.folder, disk, what, reporter)
      : await openImageToWorkOn(site, disk, what, reporter);
  if (!ground.ok) return ground;
  const { device } = ground.value;
  let [ended, entered] = [false, false];
  try {
    const outcome = await executeRouteOn(device, {
      journal: site.journal,
      files: ground.value.files,
      serial: ground.value.serial,
      steps,
      how: existsSync(site.journal) ? HOW[what.next] : 'begin',
      afterCut: what.afterCut,
      // A stand-in is there to be proved, and small.
      extent: standIn ? 'whole' : what.extent,
      fingerprintAbove: standIn ? FINGERPRINT_ABOVE : null,
      progress: (now) => reporter.reportProgress(now),
      entered: () => (entered = true),
    });
    ended = true;
    if (!outcome.ok) return outcome;
    if (!('proof' in outcome.value)) return success(null);
    const layout = await proveStandInLayout(device, what);
    if (!layout.ok) return layout;
    reporter.end();
    return success(withLayout(outcome.value.proof, layout.value));
  } finally {
    await ground.value.leave({ ended, entered });
  }
}

function notThere(error: NodeJS.ErrnoException): string[] {
  if (error.code === 'ENOENT') return [];
  throw error;
}

/** Bytes that a folder's files really take. */
export async function roomOf(folder: string): Promise<number> {
  let bytes = 0;
  // The folder or a file may be gone by the time that it is looked at.
  for (const name of await readdir(folder).catch(notThere))
    bytes += await stat(join(folder, name)).then(
      ({ blocks }) => blocks * 512,
      () => 0,
    );
  return bytes;
}
