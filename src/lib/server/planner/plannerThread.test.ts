import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, describe, expect, it } from 'vitest';
import type { RoutesRequest } from '$core/planning';
import { diskSpec, surveyWith } from '$core/survey/sketch';
import { planInThread } from './plannerThread';

const folder = mkdtempSync(join(tmpdir(), 'gentle-tide-planner-'));
afterAll(() => rmSync(folder, { recursive: true }));
afterEach(() => {
  delete process.env['GENTLE_TIDE_PLANNER'];
});

/** A thread that does this with every question. */
function threadThat(name: string, code: string): void {
  const file = join(folder, `${name}.mjs`);
  writeFileSync(
    file,
    `import { parentPort } from 'node:worker_threads';\nparentPort.on('message', ({ id, request }) => { ${code} });\n`,
  );
  process.env['GENTLE_TIDE_PLANNER'] = file;
}

const request: RoutesRequest = {
  survey: surveyWith(
    diskSpec({ size: 200_000 }, [{ role: 'windows', size: 100_000, used: 95_000, letter: 'C' }]),
  ),
  disk: 0,
  goal: { partition: 1, size: 150_000 * 2 ** 20 },
};

describe('planning beside the server', () => {
  it('plans here where no thread is named', async () => {
    const outcome = await planInThread(request);
    expect(outcome.ok && outcome.value.reached).toBe(true);
  });

  it('tells everybody who waits that the thread ended, and starts another for the next', async () => {
    threadThat('ends', 'process.exit(3);');
    const both = await Promise.allSettled([planInThread(request), planInThread(request)]);
    expect(both.map(({ status }) => status)).toEqual(['rejected', 'rejected']);

    threadThat('throws', "throw new Error('the tide is out');");
    await expect(planInThread(request)).rejects.toThrow('the tide is out');

    // Answers come to those who asked, in whatever order.
    threadThat(
      'late',
      `setTimeout(() => parentPort.postMessage({ id, outcome: { ok: false, problems: [request.goal.size] } }),
        request.goal.size);`,
    );
    const sizes = [60, 5, 30];
    const answers = await Promise.all(
      sizes.map((size) => planInThread({ ...request, goal: { partition: 1, size } })),
    );
    expect(answers.map((answer) => !answer.ok && answer.problems[0])).toEqual(sizes);
  });
});
