import type { Step, StepOf, Verb } from '../../steps';

const FACTS = {
  tool: 'offline-mover',
  bytesCopied: 0,
  exposedBytes: 0,
  seconds: { low: 0, high: 0 },
  exposedSeconds: { low: 0, high: 0 },
  why: '',
};

type FactsOf<S> = S extends unknown ? Omit<S, 'verb' | keyof typeof FACTS> : never;

/** A step of a route with the figures that the executor goes by. */
export const stepOf = <V extends Verb>(verb: V, facts: FactsOf<StepOf<V>>): Step =>
  ({ ...FACTS, ...facts, verb }) as unknown as Step;
