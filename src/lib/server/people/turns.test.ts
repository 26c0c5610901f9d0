import { describe, expect, it } from 'vitest';
import { Turns } from './turns';

/** Work that ends when it is said so, in the order in which it was begun. */
function controlled(turns: Turns) {
  const begun: string[] = [];
  const refused: string[] = [];
  const ends: (() => void)[] = [];
  return {
    begun,
    refused,
    ask: (from: string, known = false) =>
      void turns
        .run({ from, known }, () => {
          begun.push(from);
          return new Promise<void>((end) => ends.push(end));
        })
        .catch(() => refused.push(from)),
    endOne: async () => {
      ends.shift()?.();
      await new Promise((done) => setImmediate(done));
    },
  };
}

describe('turns', () => {
  it('go round by place, however much one of them asks for', async () => {
    const { begun, ask, endOne } = controlled(new Turns(1, 30, 4));
    for (let i = 0; i < 5; i++) ask('loud');
    ask('quiet');
    for (let i = 0; i < 3; i++) await endOne();
    expect(begun.slice(0, 3)).toEqual(['loud', 'quiet', 'loud']);
  });

  it('are for known devices first, and for unknown ones now and then', async () => {
    const { begun, ask, endOne } = controlled(new Turns(1, 30, 30));
    ask('stranger 0');
    for (let i = 1; i < 9; i++) ask(`stranger ${i}`);
    for (let i = 0; i < 20; i++) ask('tablet', true);
    for (let i = 0; i < 16; i++) await endOne();
    const known = begun.slice(1, 17).filter((from) => from === 'tablet').length;
    expect(known).toBe(12);
  });

  it('are refused to the place that has the most waiting once the queue is full, not to whoever comes', async () => {
    const { begun, refused, ask, endOne } = controlled(new Turns(1, 8, 4));
    for (let i = 0; i < 4; i++) ask('a');
    for (let i = 0; i < 6; i++) ask('b');
    // One works, four of "b" wait, and three of "a".
    await endOne();
    for (let i = 0; i < 4; i++) ask('a');
    const before = refused.length;
    ask('newcomer');
    await new Promise((done) => setImmediate(done));
    expect(refused.slice(before)).not.toContain('newcomer');
    for (let i = 0; i < 4; i++) await endOne();
    expect(begun).toContain('newcomer');
  });

  it('are taken on after work that failed', async () => {
    const turns = new Turns(1, 8, 4);
    await expect(
      turns.run({ from: 'a', known: false }, () => Promise.reject(new Error('no'))),
    ).rejects.toThrow('no');
    await expect(turns.run({ from: 'a', known: false }, () => Promise.resolve(1))).resolves.toBe(1);
  });
});
