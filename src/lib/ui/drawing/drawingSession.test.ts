import { describe, expect, it, vi } from 'vitest';
import { finished, type Drawing } from '$core/drawing';
import { taskFor } from '$core/drawing/test/sample';
import { unwrap, failure, success, type Outcome } from '$core/problem';
import { clinic } from '$core/test/clinic';
import { GIB } from '$core/units';
import { DrawingSession, type DrawingData, type Finisher } from './drawingSession.svelte';
import { savingServer } from '../test/savingServer';
import { emptyDrawing } from './test/store';

const survey = clinic();
const data: DrawingData = {
  job: {
    number: 2614,
    customer: 'Tern Street Clinic',
    version: 4,
    survey: { document: survey },
    goal: { disk: 0, partition: 3, size: 200 * GIB, keepFreePercent: 10, options: { prefer: 'quick' } },
    answer: null,
  },
  workshop: { kits: [{ id: 'bench', name: 'Bench', tools: ['windows', 'offline-mover'] }] },
  drawing: emptyDrawing('offline-mover'),
  stale: false,
  document: null,
};

function begin(finisher: Finisher = () => Promise.resolve(null), offered: string[] = []) {
  const went: string[] = [];
  const asked: string[] = [];
  const session = new DrawingSession(() => data, {
    finisher,
    go: (address) => Promise.resolve(void went.push(address)),
    offer: (id) => asked.push(id) > 0 && offered.includes(id),
  });
  return { session, went, asked };
}

const server = savingServer();

/** What the planner itself makes of a drawing. */
const finish = (drawing: Drawing, upTo: number): Outcome<Drawing> => {
  const { task, kit, request } = taskFor(drawing.kit);
  return success(unwrap(finished(task, kit, request, drawing, upTo)).drawing);
};

describe('letting the planner finish a drawing', () => {
  it('takes over what it found, shows how far it is, and asks for nothing twice', async () => {
    const shares: number[] = [];
    let calls = 0;
    const { session } = begin((_, drawing, upTo, onprogress) => {
      calls++;
      onprogress(0.5);
      shares.push(session.finishing!.share);
      return Promise.resolve(finish(drawing, upTo));
    });
    expect(session.store.followed.reached).toBe(false);
    await Promise.all([session.finish(), session.finish()]);
    expect([calls, shares, session.finishing, session.said]).toEqual([1, [0.5], null, '']);
    expect(session.store.followed.reached).toBe(true);
    expect(session.standing).toBe('C: 200.0 GiB of 200.0 GiB, the goal is reached');
    session.store.undo();
    expect(session.store.drawing.steps).toEqual([]);
  });

  it('leaves the drawing as it is where it was stopped or found nothing, and says so', async () => {
    const { session } = begin();
    await session.finish();
    expect([session.said, session.store.canUndo]).toEqual(['Stopped. The drawing is as it was.', false]);
    const refusing = begin(() =>
      Promise.resolve(failure({ code: 'x', path: '', message: 'No way at all.' })),
    );
    await refusing.session.finish();
    expect([refusing.session.said, refusing.session.store.canUndo]).toEqual(['No way at all.', false]);
  });

  it('asks for the goal of the job, with the survey that it was drawn on', async () => {
    const older = { ...survey, takenAt: '2026-11-01T08:00:00Z' };
    const asked: unknown[] = [];
    const session = new DrawingSession(() => ({ ...data, document: older }), {
      finisher: (request) => {
        asked.push(request);
        return Promise.resolve(null);
      },
      go: () => Promise.resolve(),
      offer: () => false,
    });
    await session.finish();
    expect(asked).toEqual([
      {
        prefer: 'quick',
        survey: older,
        disk: 0,
        goal: { partition: 3, size: 200 * GIB },
        keepFree: { percent: 10 },
        workshop: data.workshop,
      },
    ]);
  });
});

describe('the keys of the screen', () => {
  it('undo, redo, show the keys and go back', async () => {
    const { session } = begin((_, drawing, upTo) => Promise.resolve(finish(drawing, upTo)));
    await session.finish();
    const steps = session.store.drawing.steps.length;
    expect(steps).toBeGreaterThan(2);
    expect(session.press('u', false)).toBe(true);
    expect(session.store.drawing.steps).toHaveLength(0);
    expect(session.press('U', true)).toBe(true);
    expect(session.store.drawing.steps).toHaveLength(steps);
    expect(session.press('?', true)).toBe(true);
    expect(session.keysShown).toBe(true);
    expect(session.press('b', false)).toBe(true);
    expect(session.said).toMatch(/lead(s)? back to the layout as found/);
    const { start, results } = session.store.settled;
    expect(results.at(-1)!.after.partitions.map(({ first, sectors }) => [first, sectors])).toEqual(
      start.partitions.map(({ first, sectors }) => [first, sectors]),
    );
  });

  it('run the first of what is offered on the board, and nothing beside it', () => {
    const { session, asked } = begin(undefined, ['put-back']);
    expect(session.pressOnBoard('a', false)).toBe(true);
    expect(session.pressOnBoard('f', false)).toBe(false);
    expect(session.press('f', false)).toBe(false);
    expect(asked).toEqual(['set-aside', 'put-back', 'fill']);
  });
});

describe('what goes to the server', () => {
  it('is a copy with all that can be taken back, and the screen goes there', async () => {
    const { session, went } = begin();
    session.store.rename('n'.repeat(200));
    await session.copy();
    const post = server.sent.find(({ method }) => method === 'POST')!;
    expect(post.path).toBe('/api/v1/jobs/2614/drawings');
    expect(post.body).toMatchObject({ states: data.drawing.states, position: 0 });
    expect((post.body as { name: string }).name).toHaveLength(200);
    expect(went).toEqual(['/jobs/2614/drawing/9']);
  });

  it('is the sheet of this drawing, in the version that was looked at; a refusal is said', async () => {
    const { session, went } = begin();
    await session.makeSheet();
    expect(server.sent.at(-1)).toEqual({
      method: 'POST',
      path: '/api/v1/jobs/2614/sheets',
      body: { version: 4, drawing: 1 },
    });
    expect(went).toEqual(['/jobs/2614/sheet']);
    const refusal = { detail: 'This drawing was made on an earlier survey.' };
    vi.stubGlobal('fetch', () => Promise.resolve(Response.json(refusal, { status: 422 })));
    await session.makeSheet();
    expect([session.said, went.length]).toEqual([refusal.detail, 1]);
  });
});

describe('a kit that is not there any more', () => {
  it('leaves what every kit has', () => {
    const drawing = emptyDrawing('sold-last-year');
    const session = new DrawingSession(() => ({ ...data, drawing }), {
      finisher: () => Promise.resolve(null),
      go: () => Promise.resolve(),
      offer: () => false,
    });
    expect(session.store.at.kit.tools.map(({ id }) => id)).toEqual(['windows']);
  });
});
