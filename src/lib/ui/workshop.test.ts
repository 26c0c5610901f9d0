import { describe, expect, it } from 'vitest';
import { SHIPPED_KITS, SHIPPED_TOOLS } from '$core/tools';
import { kitNameIn, listKits, toolNameIn } from './workshop';

const own = { ...SHIPPED_TOOLS[1]!, id: 'bench-mover', name: 'Bench mover' };
const workshop = { tools: [own], kits: [{ id: 'bench', name: 'Bench', tools: ['windows', 'bench-mover'] }] };

describe('names of a workshop', () => {
  it('are those of what ships and of what it made itself', () => {
    expect(listKits(workshop).map(({ id }) => id)).toEqual([...SHIPPED_KITS.map(({ id }) => id), 'bench']);
    expect(kitNameIn(workshop)('bench')).toBe('Bench');
    expect(toolNameIn(workshop)('bench-mover')).toBe('Bench mover');
    for (const { id, name } of SHIPPED_TOOLS) expect(toolNameIn({})(id)).toBe(name);
  });

  it('are ids where the thing was deleted since', () => {
    expect(kitNameIn({})('bench')).toBe('bench');
    expect(toolNameIn({})('bench-mover')).toBe('bench-mover');
  });
});
