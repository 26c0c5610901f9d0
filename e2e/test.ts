import { test as base, type BrowserContext, type Page } from '@playwright/test';
import { DAY, WHOLE } from '../src/lib/core/test/evidence';

/**
 * The page, with `goto` and `reload` waiting until the screen answers to clicks: what a test presses before
 * that is lost, since the server's HTML stands there a moment earlier than its script.
 */
export function live(page: Page): Page {
  const [goto, reload] = [page.goto.bind(page), page.reload.bind(page)];
  const answering = () => page.locator('html[data-live]').waitFor({ state: 'attached' });
  page.goto = async (...given) => {
    const reply = await goto(...given);
    await answering();
    return reply;
  };
  page.reload = async (...given) => {
    const reply = await reload(...given);
    await answering();
    return reply;
  };
  return page;
}

/** What a browser itself says of an answer that a test asked for: a refusal, or a server that is not there. */
const OF_ANSWERS = /^Failed to load resource: |net::ERR_/;

/** Notes every error that scripts throw and the console shows, in all pages of a context. */
export function errorsIn(context: BrowserContext): string[] {
  const errors: string[] = [];
  context.on('console', (message) => {
    if (message.type() === 'error' && !OF_ANSWERS.test(message.text())) errors.push(message.text());
  });
  context.on('weberror', (error) => errors.push(error.error().stack ?? String(error.error())));
  return errors;
}

export const test = base.extend<{ consoleErrors: string[] }>({
  /** Errors in the browser's console; a test that causes one on purpose empties it. */
  consoleErrors: [
    async ({ context }, use) => {
      const errors = errorsIn(context);
      await use(errors);
      if (errors.length > 0) throw new Error(`errors in the browser’s console:\n${errors.join('\n')}`);
    },
    { auto: true },
  ],
  page: async ({ page }, use) => use(live(page)),
});
/**
 * Leaves a test to another day, unless its turn is today or all of the evidence is gathered: for journeys that are
 * alike, or whose bytes other tests prove.
 */
export const takesTurn = (index: number, every: number): void =>
  base.skip(!WHOLE && (DAY + index) % every !== 0, 'its turn is another day');

export { expect } from '@playwright/test';
