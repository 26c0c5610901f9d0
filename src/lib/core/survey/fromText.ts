import { failure, type Outcome, refusal, success } from '../problem';
import { isSurveyCsv, surveyFromCsv } from './csv';
import { isLsblk, surveyFromLsblk } from './fromLsblk';

/** Most characters of a survey that is given as text; one of a hundred disks has less than a MiB. */
export const MAX_TEXT = 4 * 1024 * 1024;

/** Facts of a machine where its survey does not say so itself. */
export interface GivenText {
  /** Name of the text in a refusal: “disk.json”, or The text. */
  called: string;
  machineName: string;
  /** RFC 3339. */
  takenAt: string;
}

/** A kind of text that a survey is read from. */
interface TextWay {
  /** Names of its forms, as those call them who have them. */
  names: readonly string[];
  /** Whether a text is of this kind, by how it begins: up to 4 KiB of it are enough. */
  begins: (text: string) => boolean;
  /** Candidate for a survey document; its schema and {@link checkSurvey} say whether it is one. */
  read: (text: string, given: GivenText) => Outcome<unknown>;
}

/** All kinds, in the order in which they are tried; what is none of them is taken for a document, and told as one. */
const TEXT_WAYS = [
  { names: ['a CSV of partitions'], begins: isSurveyCsv, read: (text) => surveyFromCsv(text) },
  {
    names: ['what lsblk prints', 'a survey document'],
    begins: (text) => /^\uFEFF?\s*[[{]/.test(text),
    read: fromJson,
  },
] as const satisfies readonly TextWay[];

export const TEXT_WAY_NAMES: readonly string[] = TEXT_WAYS.flatMap(({ names }) => names);

/** Whether a file is text that a survey may be read from, by how it begins. */
export const isSurveyText = (head: string): boolean => TEXT_WAYS.some(({ begins }) => begins(head));

/**
 * Reads a survey from text of whatever kind. Problem codes: `text-empty`, `text-long`, `text-json` (it is cut off or
 * no JSON), and those of the kind that it is of.
 */
export function surveyFromText(text: string, given: GivenText): Outcome<unknown> {
  if (text.trim() === '') return refusal('text-empty', `${given.called} is empty.`);
  if (text.length > MAX_TEXT) {
    const mib = (text.length / 1024 / 1024).toFixed(1);
    return refusal(
      'text-long',
      `${given.called} is ${mib} MiB of text. A survey document has 4 MiB at most; is it something else?`,
    );
  }
  return (TEXT_WAYS.find(({ begins }) => begins(text)) ?? TEXT_WAYS.at(-1)!).read(text, given);
}

/** A survey document as it is, or what `lsblk` prints as JSON. */
function fromJson(text: string, given: GivenText): Outcome<unknown> {
  try {
    const value: unknown = JSON.parse(text.replace(/^\uFEFF/, ''));
    return isLsblk(value) ? surveyFromLsblk(value, given) : success(value);
  } catch (error) {
    const message = `${given.called} is no whole JSON: ${(error as Error).message}. A survey document begins with { and ends with }.`;
    return failure({ code: 'text-json', path: '', message });
  }
}
