import { describe, expect, it } from 'vitest';
import { DOCUMENTS, SCHEMAS } from '$contract/documents';
import { findFaults } from './schemas';

describe('the schemas of the API', () => {
  const examples = Object.values(DOCUMENTS).flatMap(
    ({ name, example }): [string, Record<string, unknown>][] =>
      example ? [[name, example as Record<string, unknown>]] : [],
  );

  it.each(examples)('%s takes its example', (name, example) => {
    expect(findFaults(name, example)).toEqual([]);
    expect(SCHEMAS[name]).toMatchObject({ examples: [example] });
  });

  it.each(examples)('%s misses each field of it that must be there, and says which', (name, example) => {
    const { required } = SCHEMAS[name] as { required: string[] };
    expect(required.length).toBeGreaterThan(0);
    for (const field of required) {
      const { [field]: left, ...rest } = example;
      expect(left).toBeDefined();
      expect(findFaults(name, rest)).toEqual([{ path: `/${field}`, message: `“${field}” is missing.` }]);
    }
  });

  it.each(examples)(
    '%s refuses what is of another kind, at its path, without its contents',
    (name, example) => {
      for (const [field, value] of Object.entries(example)) {
        const other = typeof value === 'object' ? 7 : { odd: 'x'.repeat(1000) };
        const [fault] = findFaults(name, { ...example, [field]: other });
        expect(fault?.path, `${name} ${field}`).toBe(`/${field}`);
        expect(fault!.message).toMatch(/[.]$/);
        expect(fault!.message.length).toBeLessThan(250);
      }
    },
  );

  it('tell one fault of a job’s file, however many there are', () => {
    const parts = { 'history.json': Array.from({ length: 200_000 }, () => null) };
    expect(findFaults('job-parts', parts)).toEqual([
      { path: '/job.json', message: '“job.json” is missing.' },
    ]);
    const check = {
      ...parts,
      'job.json': 1,
      'surveys.json': [],
      'holdings.json': [],
      'goals.json': [],
      'drawings.json': [],
      'sheets.json': [],
      'rehearsals.json': [],
    };
    expect(findFaults('job-parts', check)[0]?.path).toBe('/job.json');
  });

  it('are all there, each with an example where it is a body', () => {
    expect(examples.length).toBeGreaterThan(25);
  });
});
