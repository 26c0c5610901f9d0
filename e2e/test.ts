import { test as base, type Page } from '@playwright/test';

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

export const test = base.extend({ page: async ({ page }, use) => use(live(page)) });
export { expect } from '@playwright/test';
