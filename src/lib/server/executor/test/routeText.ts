import type { Step } from '$core/steps';

/** A route as the command line takes it; the figures that the executor does not go by are made up. */
export function routeText(steps: readonly Step[]): string {
  const none = { low: 0, high: 0 };
  return JSON.stringify({
    kit: 'offline-mover',
    title: 'made up',
    keepsRecoveryBehind: true,
    difficulty: { grade: 'plain', why: 'made up' },
    noReturn: null,
    steps,
    totals: {
      bytesCopied: 0,
      exposedBytes: 0,
      restarts: 0,
      steps: 0,
      idle: 0,
      handOvers: 0,
      stranded: 0,
      seconds: none,
      handsOnSeconds: none,
      waitingSeconds: none,
      exposedSeconds: none,
    },
    asLeft: { partitions: [], unallocated: [] },
  });
}
