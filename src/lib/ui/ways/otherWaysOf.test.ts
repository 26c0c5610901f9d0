import { describe, expect, it } from 'vitest';
import { readAllowances, makeTargetAddress } from './otherWaysOf';

const asked = (address: string) => new URL(address, 'http://bench.test').searchParams;

describe('what another way out asks to be allowed', () => {
  it('comes to the Target screen as it was meant', () => {
    for (const allows of [{ mayJoin: [4, 7] }, { mayConvert: true }, { mayConvertTable: true, mayJoin: [4] }])
      expect(readAllowances(asked(makeTargetAddress(2611, allows)), [4, 7])).toEqual(allows);
  });

  it('is nothing where an address asks for what is not there', () => {
    for (const search of [
      '',
      'join=',
      'join=3',
      'join=1e9,NaN,-4',
      'join=4x',
      'convert=no',
      'table=1',
      'mayDelete=4',
    ])
      expect(readAllowances(new URLSearchParams(search), [4, 7])).toEqual({});
  });
});
