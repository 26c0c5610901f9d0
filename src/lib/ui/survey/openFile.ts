import { isSurveyCsv, surveyFromCsv } from '$core/survey';

/** What a chosen file is, from its first bytes rather than its name. */
export type Opened =
  { kind: 'document'; value: unknown } | { kind: 'image' } | { kind: 'refused'; message: string };

const MOST_DOCUMENT_BYTES = 4 * 1024 * 1024;
/** Below this there is no room for a partition table and its backup. */
const LEAST_IMAGE_BYTES = 68 * 512;

export async function openFile(file: File): Promise<Opened> {
  if (file.size === 0) return refused(`“${file.name}” is empty.`);
  const head = new TextDecoder().decode(await file.slice(0, 64).arrayBuffer());
  if (/^\uFEFF?\s*[[{]/.test(head) || isSurveyCsv(await file.slice(0, 4096).text())) {
    if (file.size > MOST_DOCUMENT_BYTES) return tooLong(`“${file.name}”`, file.size);
    return openText(await file.text(), `“${file.name}”`);
  }
  if (file.size < LEAST_IMAGE_BYTES) {
    return refused(
      `“${file.name}” is neither a survey document (it is no JSON and no table of partitions) nor a disk image (it has only ${file.size} bytes).`,
    );
  }
  return { kind: 'image' };
}

/** A survey document as text, pasted or from a file; `called` is how it is named in a refusal. */
export function openText(text: string, called = 'The text'): Opened {
  if (text.trim() === '') return refused(`${called} is empty.`);
  if (text.length > MOST_DOCUMENT_BYTES) return tooLong(called, text.length);
  if (isSurveyCsv(text)) {
    const read = surveyFromCsv(text);
    if (read.ok) return { kind: 'document', value: read.value };
    return refused(read.problems.map((problem) => problem.message).join(' '));
  }
  try {
    return { kind: 'document', value: JSON.parse(text.replace(/^\uFEFF/, '')) };
  } catch (error) {
    return refused(
      `${called} is no whole JSON: ${(error as Error).message}. A survey document begins with { and ends with }.`,
    );
  }
}

const tooLong = (called: string, bytes: number): Opened =>
  refused(
    `${called} is ${(bytes / 1024 / 1024).toFixed(1)} MiB of text. A survey document has 4 MiB at most; is it something else?`,
  );

const refused = (message: string): Opened => ({ kind: 'refused', message });
