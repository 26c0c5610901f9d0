import { describe, expect, it } from 'vitest';
import { planRoutes, type Route } from '../..';
import { EXPECTED } from './expected';
import { SITUATIONS } from './situations';

const mib = (bytes: number): number => Math.round((bytes / 2 ** 20) * 100) / 100;

const lineOf = ({ steps, totals, keepsRecoveryBehind }: Route): string => {
  const list = steps.map((step) => (step.partition === null ? step.verb : `${step.verb} ${step.partition}`));
  const { bytesCopied, exposedBytes, restarts, idle } = totals;
  return `${list.join(', ')} = ${mib(bytesCopied)} ${mib(exposedBytes)} ${restarts} ${steps.length} ${mib(idle)} ${keepsRecoveryBehind ? 0 : 1}`;
};

describe('the catalogue of situations', () => {
  it('has at least thirty, each with its answer', () => {
    expect(SITUATIONS.length).toBeGreaterThanOrEqual(30);
    expect(SITUATIONS.map((one) => one.id)).toEqual(Object.keys(EXPECTED));
  });

  it.each(SITUATIONS.map((one) => [one.id, one] as const))('%s', (id, { survey, ask }) => {
    const answer = planRoutes({ survey, disk: 0, ...ask }, { milliseconds: 60_000, nodes: 100_000 });
    if (!answer.ok) throw new Error(JSON.stringify(answer.problems));
    const { routes, findings, reached } = answer.value;
    const front: Record<string, string[]> = {};
    for (const route of routes) (front[route.kit] ??= []).push(lineOf(route));
    const sorted = (lists: Record<string, string[]>) =>
      Object.fromEntries(Object.entries(lists).map(([kit, lines]) => [kit, [...lines].sort()]));
    const { stops, front: expected } = EXPECTED[id]!;
    expect({ stops: findings.map((one) => one.code), front: sorted(front) }).toEqual({
      stops,
      front: sorted(expected),
    });
    expect(reached).toBe(routes.length > 0);
    for (const route of routes) {
      expect(route.title).toMatch(/^[A-Z]/);
      for (const step of route.steps) expect(step.why).toMatch(/[.]$/);
    }
  });
});
