import { afterEach, describe, expect, it, vi } from 'vitest';
import { beginJob, deriveNames } from './beginJob';

describe('what a job is called after its machine', () => {
  it.each([
    ['Tern Street Clinic, X-ray viewer', 'Tern Street Clinic', 'X-ray viewer'],
    ['Old Lighthouse Museum, ticket desk, left', 'Old Lighthouse Museum', 'ticket desk, left'],
    ['  reception  ', 'Customer not named yet', 'reception'],
    ['', 'Customer not named yet', 'Machine not named yet'],
    [', till', 'Customer not named yet', 'till'],
  ])('%j', (machine, customer, name) => {
    expect(deriveNames(machine)).toEqual({ customer, machine: name });
  });

  it('is never longer than a job takes', () => {
    const { customer, machine } = deriveNames(`${'ä'.repeat(500)}, ${'🌊'.repeat(500)}`);
    expect([[...customer].length, [...machine].length]).toEqual([200, 200]);
  });
});

describe('a job that begins with its survey', () => {
  afterEach(() => vi.unstubAllGlobals());
  const answers = (...replies: [number, object | null][]) => {
    const asked: string[] = [];
    vi.stubGlobal('fetch', (path: string, { method }: { method: string }) => {
      asked.push(`${method} ${path}`);
      const [status, body] = replies.shift()!;
      return Promise.resolve(new Response(body && JSON.stringify(body), { status }));
    });
    return asked;
  };

  it('is left behind only where the survey was taken', async () => {
    let asked = answers([201, { number: 7, version: 1 }], [200, { number: 7, version: 2 }]);
    expect(
      await beginJob({ source: 'document', survey: { machine: { name: 'Driftwood Radio, studio' } } }),
    ).toEqual({
      number: 7,
    });
    expect(asked).toEqual(['POST /api/v1/jobs', 'PUT /api/v1/jobs/7/survey']);
    asked = answers(
      [201, { number: 8, version: 1 }],
      [400, { detail: 'That is no survey.', errors: [{ path: '/disks', message: 'There are none.' }] }],
      [204, null],
    );
    expect(await beginJob({ source: 'document', survey: 'nonsense' })).toEqual({
      message: 'That is no survey. There are none.',
    });
    expect(asked.at(-1)).toBe('DELETE /api/v1/jobs/8?version=1');
    asked = answers();
    expect(await beginJob({ source: 'document', holdings: {} })).toHaveProperty('message');
    expect(asked).toEqual([]);
  });
});
