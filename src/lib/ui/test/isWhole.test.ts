import { describe, expect, it } from 'vitest';
import { isWhole } from '../sheet/isWhole';

const json = (body: string, status = 200): Response =>
  new Response(body, { status, headers: { 'content-type': 'application/json' } });

describe('an answer that is kept for a tablet without the server', () => {
  it.each([
    ['a page', new Response('<html>', { headers: { 'content-type': 'text/html' } }), true],
    ['its data', json('{"type":"data","nodes":[null,{"type":"data","data":[1]},{"type":"skip"}]}\n'), true],
    ['its data with more lines', json('{"type":"data","nodes":[{"type":"data"}]}\n{"type":"chunk"}\n'), true],
    ['a redirect to the sign-in', json('{"type":"redirect","location":"/sign-in"}\n'), false],
    ['an error in its place', json('{"type":"data","nodes":[{"type":"error","status":404}]}'), false],
    ['half of it', json('{"type":"data","nod'), false],
    ['an empty answer', json(''), false],
    ['an error', json('{"type":"data","nodes":[]}', 500), false],
  ])('is %s, or not', async (_, response, kept) => {
    expect(await isWhole(response)).toBe(kept);
    // It can still be read by whoever keeps it.
    expect(response.bodyUsed).toBe(false);
  });
});
