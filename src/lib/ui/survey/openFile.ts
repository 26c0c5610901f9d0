import { isSurveyText, MOST_TEXT } from '$core/survey';

/** What a chosen file is, from its first bytes rather than its name. */
export type Opened =
  { kind: 'text'; text: string } | { kind: 'image' } | { kind: 'refused'; message: string };

/** Below this there is no room for a partition table and its backup. */
const LEAST_IMAGE_BYTES = 68 * 512;
/** A character of text has four bytes at most. */
const MOST_BYTES = 4 * MOST_TEXT;

export async function openFile(file: File): Promise<Opened> {
  if (file.size === 0) return refused(`“${file.name}” is empty.`);
  if (isSurveyText(await file.slice(0, 4096).text())) {
    // Of a file that is too long only so much is read that it is known to be.
    return { kind: 'text', text: await file.slice(0, MOST_BYTES + 4).text() };
  }
  if (file.size < LEAST_IMAGE_BYTES) {
    return refused(
      `“${file.name}” is neither a survey document (it is no JSON and no table of partitions) nor a disk image (it has only ${file.size} bytes).`,
    );
  }
  return { kind: 'image' };
}

const refused = (message: string): Opened => ({ kind: 'refused', message });
