import { expect, it } from 'vitest';
import { proveSystemCuts } from './test/systemCuts';

it('the program as it is run survives whatever a power cut leaves of its system calls', async () => {
  const { states, failures } = await proveSystemCuts(320, 7);
  expect(failures).toEqual([]);
  expect(states).toBeGreaterThanOrEqual(300);
}, 400_000);
