import type { RunPlace } from '$contract/rehearsalStates';
import { join } from 'node:path';
import { copyName, getImagePath, journalOf } from '../../platform/imageNames';

/** Places of a run's disk and its journal. */
export type Site = { journal: string } & (
  | { place: 'stand-in'; folder: string }
  /** `from`: the image that the copy is made of; `note`: which files the run made. */
  | { place: 'copy'; disk: string; from: string; note: string }
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
  const disk = getImagePath(place === 'copy' ? copyName(image, id) : image);
  const journal = journalOf(disk);
  return place === 'copy'
    ? { place, disk, journal, from: getImagePath(image), note: join(folder, String(id), 'copy.json') }
    : { place, disk, journal };
}
