import { lstatSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import type { ByteSource } from '$core/images/source';
import { failure, success, type Outcome } from '$core/problem';
import { readImage } from '$core/holdings';
import type { ImageProgress, SurveyDocument } from '$core/survey';
import { defineTask } from '../../platform/threads/task';
import { weigh, type Weighed } from '../holdings/weigh';
import { openToRead, type OpenFile } from './fileSource';
import { isImageName } from '../../platform/imageNames';

export interface Surveying {
  path: string;
  machineName: string;
  takenAt: string;
}

/** A survey of an image, and what fills its volumes as far as it could be read. */
export interface SurveyedImage {
  survey: SurveyDocument;
  holdings: Weighed | null;
}

/**
 * Surveys an image in the server's folder by its bytes, with what fills its volumes. Nothing but plain files beside it
 * is opened, whatever it names.
 *
 * Problem codes: those of `readImage`, `unreadable`.
 */
export async function surveyImage(
  { path, machineName, takenAt }: Surveying,
  tell: (progress: ImageProgress) => void,
): Promise<Outcome<SurveyedImage>> {
  const opened: OpenFile[] = [];
  const open = async (one: string): Promise<ByteSource> => {
    const file = await openToRead(one);
    opened.push(file);
    return file.source;
  };
  let told = 0;
  try {
    const read = await readImage(await open(path), {
      machineName,
      takenAt,
      beside: (name) => besideOf(path, name, open),
      progress: (progress) => {
        if (progress.share < 1 && progress.share - told < 0.01) return;
        told = progress.share;
        tell(progress);
      },
    });
    if (!read.ok) return read;
    const { survey, holdings } = read.value;
    const weighed = holdings ? weigh({ survey, holdings }) : success(null);
    return weighed.ok ? success({ survey, holdings: weighed.value }) : weighed;
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    if (!code) throw error;
    const message = `${basename(path)} can’t be read (${code}). Was it moved, or changed while it was read?`;
    return failure({ code: 'unreadable', path: '', message });
  } finally {
    for (const file of opened) await file.close();
  }
}

/** Survey of an image: of a large disk much has to be read. */
export const surveyImageTask = defineTask(
  'surveyImage',
  (input: Surveying, _, tell: (progress: ImageProgress) => void) => surveyImage(input, tell),
  { milliseconds: 900_000, atOnce: 2, pool: 'images' },
);

/** A piece of the image by its name: opened only once something is read from it. */
function besideOf(
  path: string,
  name: string,
  open: (path: string) => Promise<ByteSource>,
): ByteSource | null {
  if (!isImageName(name)) return null;
  const piece = join(dirname(path), name);
  const stat = lstatSync(piece, { throwIfNoEntry: false });
  if (!stat?.isFile()) return null;
  let source: Promise<ByteSource> | null = null;
  return {
    size: stat.size,
    read: async (offset, length) => (await (source ??= open(piece))).read(offset, length),
  };
}
