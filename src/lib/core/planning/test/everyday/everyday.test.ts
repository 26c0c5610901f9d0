import { describe, expect, it } from 'vitest';
import { inOrder, planRoutes, type Route } from '../..';
import { EVERYDAY } from './everyday';

const lineOf = ({ kit, steps }: Route): string =>
  `${kit}: ${steps.map((step) => (step.partition === null ? step.verb : `${step.verb} ${step.partition}`)).join(', ')}`;

describe('the first answer in everyday situations', () => {
  it('is held for at least twenty-five', () => expect(EVERYDAY.length).toBeGreaterThanOrEqual(25));

  it.each(EVERYDAY.map((one) => [one.id, one] as const))('%s', (_, { survey, ask, first }) => {
    const answer = planRoutes({ survey, disk: 0, ...ask }, { milliseconds: 60_000 });
    if (!answer.ok) throw new Error(JSON.stringify(answer.problems));
    const { routes } = answer.value;
    expect(lineOf(routes[0]!)).toBe(first);
    // The screen's own order agrees with the answer's.
    expect(inOrder(routes, 'usual')).toEqual(routes.map((_, i) => i));
  });
});
