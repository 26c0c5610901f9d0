import { beforeAll, describe, expect, it } from 'vitest';
import { makeBytesSource } from '../../images/source';
import { DAY, share, WHOLE } from '../../test/evidence';
import { randomFrom } from '../../random';
import { DAMAGE, factsOf, volumeToDamage } from './damage';
import { checkNtfs } from './checkNtfs';

const VOLUMES = share(208, 4);
const FIRST = WHOLE ? 0 : VOLUMES * (DAY % 4);

describe('the checker', () => {
  let volume: Uint8Array;
  beforeAll(() => void (volume = volumeToDamage()));

  it('finds nothing on a volume that a formatter made and a driver filled', async () => {
    expect(await checkNtfs(makeBytesSource(volume))).toEqual([]);
  });

  it(`finds the damage on ${VOLUMES} volumes that were damaged on purpose`, async () => {
    const facts = await factsOf(volume);
    expect([facts.runs.length > 50, facts.blocks.length > 8]).toEqual([true, true]);
    const kinds = Object.entries(DAMAGE);
    const missed: string[] = [];
    for (let seed = FIRST; seed < FIRST + VOLUMES; seed++) {
      const [name, damage] = kinds[seed % kinds.length]!;
      const bytes = volume.slice();
      damage(bytes, randomFrom(seed), facts);
      if ((await checkNtfs(makeBytesSource(bytes))).length === 0) missed.push(`${name}, seed ${seed}`);
    }
    expect(missed).toEqual([]);
  });
});
