import { expect, it } from 'vitest';
import { DAY, share, WHOLE } from '$core/test/evidence';
import { proveSystemCuts } from './test/systemCuts';

it('the program as it is run survives whatever a power cut leaves of its system calls', async () => {
  const wanted = share(320, 40);
  const { states, failures } = await proveSystemCuts(wanted, WHOLE ? 7 : DAY);
  expect(failures).toEqual([]);
  expect(states).toBeGreaterThanOrEqual(wanted);
}, 400_000);
