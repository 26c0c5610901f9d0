import type { Problem } from '$core/problem';

/** The same problems with their paths seen from the document that holds theirs. */
export const under = (prefix: string, problems: readonly Problem[]): Problem[] =>
  problems.map((problem) => ({ ...problem, path: prefix + problem.path }));
