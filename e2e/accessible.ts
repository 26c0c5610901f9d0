import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

/** That axe finds nothing serious on a page, light or dark, and that nothing needs sideways scrolling. The page stays dark and narrow. */
export async function isAccessible(page: Page): Promise<void> {
  const serious = async (look: AxeBuilder): Promise<string[]> => {
    const { violations } = await look.analyze();
    return violations
      .filter(({ impact }) => impact === 'serious' || impact === 'critical')
      .map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.target.join(' ')).join(', ')}`);
  };
  expect(await serious(new AxeBuilder({ page }))).toEqual([]);
  // The same page in other colours: nothing else can differ.
  await page.getByRole('button', { name: 'Dark theme' }).click();
  await expect(page.locator('html')).toHaveAttribute('data-mode', 'dark');
  expect(await serious(new AxeBuilder({ page }).withRules(['color-contrast']))).toEqual([]);
  for (const width of [1280, 768]) {
    await page.setViewportSize({ width, height: 800 });
    await expect
      .poll(() => page.evaluate(() => document.documentElement.scrollWidth))
      .toBeLessThanOrEqual(width);
  }
}
