import { readdir, rename, rm } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { copyName, imagePath, journalOf } from '../images/folder';
import type { RunPlace } from './states';

/** Where a run's disk and its journal lie. */
export type Site = { journal: string } & (
  | { place: 'stand-in'; folder: string }
  /** `from`: the image that the copy is made of. */
  | { place: 'copy'; disk: string; from: string }
  | { place: 'image'; disk: string }
);

/** @param folder the one of stand-ins */
export function siteOf(
  { id, place, image }: { id: number; place: RunPlace; image: string | null },
  folder: string,
): Site {
  if (place === 'stand-in' || image === null) {
    const own = join(folder, String(id));
    return { place: 'stand-in', folder: own, journal: join(own, 'journal') };
  }
  const disk = imagePath(place === 'copy' ? copyName(image, id) : image);
  const journal = journalOf(disk);
  return place === 'copy' ? { place, disk, journal, from: imagePath(image) } : { place, disk, journal };
}

/** What a run keeps beside its journal: the steps, so that it can be gone on with from the command line too. */
export const stepsBeside = (journal: string): string => `${journal}.steps.json`;
/** What an image's files were like when a run left them. */
export const leftBeside = (journal: string): string => `${journal}.left.json`;

/** How a journal's name goes on once its run was given up. */
const GIVEN_UP = '.given-up-';

/** The journal of an image, and all that is named after it; those of runs that were given up are nobody's any more. */
async function journalFiles(journal: string): Promise<string[]> {
  const [folder, name] = [dirname(journal), basename(journal)];
  const names = await readdir(folder).catch(() => []);
  const own = names.filter((one) => one === name || one.startsWith(`${name}.`));
  return own.filter((one) => !one.startsWith(`${name}${GIVEN_UP}`)).map((one) => join(folder, one));
}

/** Removes it, once nobody needs it any more. */
export async function removeJournal(journal: string): Promise<void> {
  for (const path of await journalFiles(journal)) await rm(path, { force: true });
}

/** Puts it aside under another name: the run is given up, and whoever has to find out later what became of the image still has it. */
export async function putAsideJournal(journal: string, run: number): Promise<void> {
  for (const path of await journalFiles(journal))
    await rename(path, `${journal}${GIVEN_UP}${run}${path.slice(journal.length)}`);
}
