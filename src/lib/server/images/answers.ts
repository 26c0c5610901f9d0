import type { Problem } from '$core/problem';
import { badInput, problem } from '../problem';

export const noUpload = (): Response =>
  problem(
    404,
    'There is no such upload: it has arrived, was given up, or nobody went on with it for a week.',
  );

/** What is not possible as things stand is a conflict; all else is bad input. */
export function refusedUpload(problems: Problem[]): Response {
  const [first] = problems;
  if (first?.code === 'gone') return noUpload();
  const conflict = first && ['exists', 'busy', 'place', 'too-many'].includes(first.code);
  return conflict ? problem(409, first.message) : badInput(problems);
}
