import { entryOf } from '$contract/problems';
import type { Problem } from '$core/problem';

/** Titles of statuses, where an entry of the catalogue has none of its own. */
const TITLES: Record<number, string> = {
  400: 'The request could not be read',
  401: 'Not signed in',
  403: 'Not allowed',
  404: 'Not found',
  405: 'Not possible here',
  409: 'Changed by somebody else',
  410: 'No longer good',
  413: 'Too large',
  415: 'Wrong kind of content',
  416: 'Not in the file',
  421: 'Not at this address',
  422: 'Bad input',
  429: 'Too many tries',
  500: 'Something went wrong here',
  503: 'Not now',
};
const BAD_INPUT = 422;

/**
 * Problems as a problem document (RFC 9457). What the catalogue does not name is a fault of a document: bad input,
 * field by field.
 */
export function makeProblemResponse(problems: readonly Problem[]): Response {
  const [first] = problems as [Problem, ...Problem[]];
  const { status, title } = entryOf(first) ?? { status: BAD_INPUT };
  const { seconds } = first.details ?? {};
  const body = {
    type: `/problems/${status}`,
    title: title ?? TITLES[status] ?? 'Problem',
    status,
    detail: problems.length === 1 ? first.message : `${problems.length} things are wrong with the input.`,
    code: first.code,
    ...first.details,
    ...((status === BAD_INPUT || first.path !== '') && {
      errors: problems.map(({ path, message }) => ({ path, message })),
    }),
  };
  return new Response(JSON.stringify(body), {
    status,
    headers: {
      'content-type': 'application/problem+json',
      ...(seconds !== undefined && { 'retry-after': String(seconds) }),
      // The rest of a body that is too large is not read.
      ...(status === 413 && { connection: 'close' }),
    },
  });
}
