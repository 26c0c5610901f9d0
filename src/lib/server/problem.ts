export interface FieldError {
  /** JSON pointer. */
  path: string;
  message: string;
}

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

/** A problem document (RFC 9457). `more` holds members of its own, such as `errors`. */
export function problem(status: number, detail: string, more: Record<string, unknown> = {}): Response {
  const type = `/problems/${status}`;
  return new Response(JSON.stringify({ type, title: TITLES[status] ?? 'Problem', status, detail, ...more }), {
    status,
    headers: { 'content-type': 'application/problem+json' },
  });
}

/** Bad input, field by field. */
export const badInput = (errors: readonly FieldError[]): Response =>
  problem(
    422,
    errors.length === 1 ? errors[0]!.message : `${errors.length} things are wrong with the input.`,
    {
      errors: errors.map(({ path, message }) => ({ path, message })),
    },
  );
