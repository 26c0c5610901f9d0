import { isVmdkDescriptor } from '$core/images/vmdkDescriptor';
import { isSurveyText, MAX_TEXT } from '$core/survey';

/** What chosen files are, from their first bytes rather than their names. */
export type Opened =
  | { kind: 'texts'; texts: { text: string; called: string }[] }
  /** A disk image; some lie in several files, of which one describes the others. */
  | { kind: 'image'; file: File; beside: File[] }
  | { kind: 'refused'; message: string };

/** Below this there is no room for a partition table and its backup. */
const MIN_IMAGE_BYTES = 68 * 512;
/** A character of text has four bytes at most. */
const MAX_BYTES = 4 * MAX_TEXT;
/** The most files of one image: a divided one has a piece for every 2 GiB. */
export const MAX_FILES = 1024;

/** @param files one, or all those of an image that lies in several; at least one */
export async function openFile(files: readonly File[]): Promise<Opened> {
  const heads = await Promise.all(files.map((file) => file.slice(0, 4096).text()));
  const describes = heads.findIndex(isVmdkDescriptor);
  if (describes >= 0) {
    const file = files[describes]!;
    return { kind: 'image', file, beside: files.filter((one) => one !== file) };
  }
  const [file, second] = files;
  if (!file) return refused('No file was given.');
  // A survey and what fills its volumes lie in two files.
  if (files.length <= 2 && heads.every(isSurveyText))
    return { kind: 'texts', texts: await Promise.all(files.map(textOf)) };
  if (second) {
    return refused(
      `${files.length} files were given, and none of them describes the others. Give one survey or one image at a time.`,
    );
  }
  if (file.size === 0) return refused(`“${file.name}” is empty.`);
  if (file.size < MIN_IMAGE_BYTES) {
    return refused(
      `“${file.name}” is neither a survey document (it is no JSON and no table of partitions) nor a disk image (it has only ${file.size} bytes).`,
    );
  }
  return { kind: 'image', file, beside: [] };
}

/** Of a file that is too long only so much is read that it is known to be. */
const textOf = async (file: File): Promise<{ text: string; called: string }> => ({
  text: await file.slice(0, MAX_BYTES + 4).text(),
  called: `“${file.name}”`,
});

const refused = (message: string): Opened => ({ kind: 'refused', message });
