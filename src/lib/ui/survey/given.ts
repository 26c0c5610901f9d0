import { HOLDINGS_FORMAT, type ImageRead } from '$core/holdings';
import { failure, success, type Outcome } from '$core/problem';
import { surveyFromText } from '$core/survey';

/** What somebody gave of a machine, its form not yet checked: a survey, what fills its volumes, or both. */
export interface Given {
  source: 'document' | 'image';
  survey?: unknown;
  holdings?: unknown;
}

/** What an image gives. */
export const givenByImage = ({ survey, holdings }: ImageRead): Given => ({
  source: 'image',
  survey,
  ...(holdings ? { holdings } : {}),
});

const isHoldings = (value: unknown): boolean =>
  typeof value === 'object' && value !== null && 'format' in value && value.format === HOLDINGS_FORMAT;

/**
 * What texts give together, each with what it is called. Problem codes: those of `surveyFromText`, `two` (of the same
 * kind).
 */
export function givenByTexts(
  texts: readonly { text: string; called: string }[],
  machine: { machineName: string; takenAt: string },
): Outcome<Given> {
  const given: Given = { source: 'document' };
  for (const { text, called } of texts) {
    const read = surveyFromText(text, { called, ...machine });
    if (!read.ok) return read;
    const kind = isHoldings(read.value) ? 'holdings' : 'survey';
    if (given[kind] !== undefined) {
      const message = `Two files say the same kind of thing. Give one survey at a time, and beside it what fills its volumes.`;
      return failure({ code: 'two', path: '', message });
    }
    given[kind] = read.value;
  }
  return success(given);
}
