import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { cleanupReportsOf, type Choice } from '$core/holdings';
import { clinicHoldings } from '$core/test/clinicHoldings';
import { FirstForm, type FirstData } from './firstForm.svelte';

const folders = ['Windows.old', '$Recycle.Bin', 'Users\\ida\\Pictures'].map((path) => ({ path, gib: 9 }));
const found = cleanupReportsOf(clinicHoldings({ folders }));
const { disk, partition, goes, moves } = found[0]!;
const place = { disk, partition };
const data = { disk, partition: 4 };
const [one, other] = goes.map(({ id }) => id) as [string, string];
const pictures = moves[0]!.path;

/** A server whose answers wait until they are let through. */
class Server {
  job: FirstData = { number: 2614, version: 3, holdings: { found, choices: [] } };
  sent: { version: number; choices: Choice[] }[] = [];
  private held: ((status: number) => void)[] = [];

  fetch = (_: string, { body }: { body: string }): Promise<Response> => {
    const asked = JSON.parse(body) as Server['sent'][number];
    this.sent.push(asked);
    return new Promise((resolve) => {
      this.held.push((status) => {
        if (status === 200) this.keep(asked.choices);
        resolve(
          Response.json(status === 200 ? { version: this.job.version } : { detail: `said ${status}` }, {
            status,
          }),
        );
      });
    });
  };

  /** Answers the request that waits longest. */
  async answer(status = 200): Promise<void> {
    await vi.waitFor(() => {
      expect(this.held).not.toEqual([]);
    });
    this.held.shift()!(status);
  }

  private keep(choices: Choice[]) {
    this.job = { ...this.job, version: this.job.version + 1, holdings: { found, choices } };
  }
}

let server: Server;
let form: FirstForm;
beforeEach(() => {
  server = new Server();
  vi.stubGlobal('fetch', server.fetch);
  form = new FirstForm(
    () => server.job,
    () => Promise.resolve(),
  );
});
afterEach(() => {
  vi.unstubAllGlobals();
});

describe('what goes first', () => {
  it('counts at once, before anything is saved', async () => {
    expect(form.sum(place)).toMatchObject({ goes: 0, moved: 0 });
    const saved = form.tick(place, one);
    expect(form.sum(place)!.goes).toBe(goes[0]!.bytes);
    await server.answer();
    await saved;
    expect(form.sum(place)!.goes).toBe(goes[0]!.bytes);
    expect(server.sent).toEqual([{ version: 3, choices: [{ ...place, goes: [one], moves: [] }] }]);
  });

  it('is saved one after the other, and of those that wait only the last', async () => {
    const saves = [form.tick(place, one), form.tick(place, other), form.move(place, pictures, data)];
    await server.answer();
    await Promise.all(saves);
    expect(server.sent).toEqual([
      { version: 3, choices: [{ ...place, goes: [one, other], moves: [{ path: pictures, to: data }] }] },
    ]);

    const next = form.tick(place, one);
    await vi.waitFor(() => {
      expect(server.sent).toHaveLength(2);
    });
    const back = form.tick(place, one);
    await server.answer();
    await next;
    expect(form.choice(place).goes).toEqual([other, one]);
    await server.answer();
    await back;
    expect(server.sent.map(({ version }) => version)).toEqual([3, 4, 5]);
    expect(server.sent.at(-1)!.choices[0]!.goes).toEqual([other, one]);
  });

  it('is nothing at all once it stays again', async () => {
    for (const step of [
      () => form.move(place, pictures, data),
      () => form.move(place, pictures, null),
      () => form.tick(place, one),
      () => form.tick(place, one),
    ]) {
      const saved = step();
      await server.answer();
      await saved;
    }
    expect(server.sent.map(({ choices }) => choices.length)).toEqual([1, 0, 1, 0]);
  });
});

describe('what the server refuses', () => {
  it('stays ticked where somebody else saved first, and goes over it when asked to', async () => {
    const saved = form.tick(place, one);
    await server.answer(409);
    await saved;
    expect(form.refusal).toMatchObject({ status: 409 });
    expect(form.choice(place).goes).toEqual([one]);

    const over = form.overwrite(8);
    await server.answer();
    await over;
    expect(form.refusal).toBeNull();
    expect(server.sent.at(-1)).toEqual({ version: 8, choices: [{ ...place, goes: [one], moves: [] }] });
  });

  it('is given back otherwise, with the reason', async () => {
    const saved = form.tick(place, one);
    await server.answer(422);
    await saved;
    expect(form.refusal).toMatchObject({ status: 422 });
    expect(form.choice(place).goes).toEqual([]);
  });

  it('does not take along what was ticked meanwhile', async () => {
    const first = form.tick(place, one);
    await vi.waitFor(() => {
      expect(server.sent).toHaveLength(1);
    });
    const second = form.tick(place, other);
    await server.answer(500);
    await first;
    await server.answer();
    await second;
    expect(form.refusal).toBeNull();
    expect(server.sent.at(-1)!.choices[0]!.goes).toEqual([one, other]);
  });
});
