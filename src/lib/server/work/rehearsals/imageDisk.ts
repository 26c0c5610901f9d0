import { existsSync } from 'node:fs';
import { basename } from 'node:path';
import type { Disk } from '$core/disk';
import { type Outcome, refusal, success } from '$core/problem';
import { noteLeft } from '../../executor/beside';
import { mayGoOn } from '../../executor/executeRoute';
import { lockImage } from '../../executor/imageLock';
import { openDisk } from '../../executor/openDisk';
import { plainFilesOf } from '../images/plain';
import { makeOwnCopy } from './copy';
import type { RunContext, RehearsalInput } from './rehearsing';
import type { Site } from './site';
import { isBegun } from './states';
import type { RunReporter } from './runReporter';

/**
 * Opens an image to be worked on, by this run alone; where it is a copy that is not there yet, makes it first.
 *
 * Problem codes: `gone`, `journal-gone`, `in-use`, `changed` (something wrote to it since the run stopped), those of
 * {@link makeOwnCopy} and `openDisk`.
 * @throws Stopped
 */
export async function openImageToWorkOn(
  site: Exclude<Site, { place: 'stand-in' }>,
  disk: Disk,
  { progress }: RehearsalInput,
  reporter: RunReporter,
): Promise<Outcome<RunContext>> {
  const begun = isBegun(progress);
  // A new run would take a volume that is half moved for a whole one.
  if (begun && !existsSync(site.journal))
    return refusal(
      'journal-gone',
      `The journal beside ${basename(site.disk)} is not there any more, and only it knows how far the run was. Nothing was written; restore the image, or bring the journal back.`,
    );
  if (site.place === 'copy') {
    const copy = await makeOwnCopy(site, begun, reporter);
    if (!copy.ok) return copy;
  }
  const files = await plainFilesOf(site.disk);
  if (!files) return refusal('gone', `${basename(site.disk)} is not in the folder of images any more.`);
  const lock = await lockImage(site.disk);
  if (!lock.ok) return lock;
  if (begun || existsSync(site.journal)) {
    const may = await mayGoOn(site.journal, files);
    if (!may.ok) {
      lock.value.release();
      return may;
    }
  }
  const opened = await openDisk(site.disk);
  if (!opened.ok) {
    lock.value.release();
    return opened;
  }
  const { device, serial, close } = opened.value;
  return success({
    device: reporter.paced(device, disk),
    files,
    serial,
    leave: async ({ ended, entered }) => {
      await (ended && entered ? close() : opened.value.leave());
      if (entered && existsSync(site.journal)) await noteLeft(site.journal, files);
      lock.value.release();
    },
  });
}
