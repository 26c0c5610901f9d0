/**
 * Bad input as a value: what is wrong, where, and in words. Errors travel as values so that nothing
 * is half-done when one turns up; only defects throw.
 */
export interface Problem {
  /** A stable word for programs, e.g. "overlap". */
  code: string;
  /** JSON pointer into the document, or "" for the whole. */
  path: string;
  /** A sentence for people: what is the case, and what to do. */
  message: string;
  /**
   * A refusal of the contract's catalogue, which says more of its code. Codes of documents' faults are named apart from
   * it.
   */
  refusal?: true;
  /** Facts for a program, such as the version that a document has by now. */
  details?: Readonly<Record<string, number>>;
}

export type Outcome<T> = { ok: true; value: T } | { ok: false; problems: Problem[] };

export const success = <T>(value: T): Outcome<T> => ({ ok: true, value });

export const failure = (...problems: Problem[]): { ok: false; problems: Problem[] } => ({
  ok: false,
  problems,
});

/** A failure of one problem that concerns the whole, or the place at `path`. */
export const refusal = (code: string, message: string, path = ''): { ok: false; problems: [Problem] } => ({
  ok: false,
  problems: [{ code, path, message }],
});

/** The same problems with their paths seen from the document that holds theirs. */
export const under = (prefix: string, problems: readonly Problem[]): Problem[] =>
  problems.map((problem) => ({ ...problem, path: prefix + problem.path }));

/**
 * The value of an outcome that holds by how it was made, such as the layouts of a route that the planner found.
 * @throws Error where it does not: that is a defect, not bad input
 */
export function unwrap<T>(outcome: Outcome<T>): T {
  if (outcome.ok) return outcome.value;
  throw new Error(outcome.problems.map(({ message }) => message).join(' '));
}
