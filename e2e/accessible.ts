import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';
import { DAY, WHOLE } from '../src/lib/core/test/evidence';

/** The themes in which the screen of an index is looked at: both, or by turns from day to day. */
const themesOf = (index: number): readonly ('light' | 'dark')[] =>
  WHOLE ? ['light', 'dark'] : [(index + DAY) % 2 === 0 ? 'light' : 'dark'];

/**
 * Axe finds nothing serious on some pages, and none needs sideways scrolling.
 * @param index chooses the theme of the first
 */
export async function areAccessible(page: Page, addresses: readonly string[], index = 0): Promise<void> {
  for (const [i, address] of addresses.entries())
    for (const colorScheme of themesOf(index + i)) {
      await page.emulateMedia({ colorScheme });
      await page.goto(address);
      await expect(page.locator('html')).toHaveAttribute('data-mode', colorScheme);
      await isAccessible(page, `${address}, ${colorScheme}`);
    }
}

/** The same of the page that is open, as it is. */
export async function isAccessible(page: Page, name: string): Promise<void> {
  // The mode without frames, of which no page has any, opens no second page for each look.
  const axe = new AxeBuilder({ page }).options({ resultTypes: ['violations'] }).setLegacyMode();
  const { violations } = await axe.analyze();
  const serious = violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.target.join(' ')).join(', ')}`);
  expect(serious, name).toEqual([]);
  for (const width of [768, 1280]) {
    await page.setViewportSize({ width, height: 800 });
    await expect
      .poll(() => page.evaluate(() => document.documentElement.scrollWidth), name)
      .toBeLessThanOrEqual(width);
  }
}
