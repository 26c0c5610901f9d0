import type { APIRequestContext, Locator, Page } from '@playwright/test';
import { isAccessible } from './accessible';
import { addSurveyedJob } from './survey';
import { expect, live, test } from './test';

const GIB = 2 ** 30;

/** A job with a goal, and an empty drawing on it. */
async function newDrawing(
  request: APIRequestContext,
  kit = 'offline-mover',
): Promise<{ job: number; path: string }> {
  const job = await addSurveyedJob(request);
  const goal = await request.put(`/api/v1/jobs/${job}/goal`, {
    data: { version: 2, size: 150 * GIB, options: { kits: ['offline-mover'] } },
  });
  expect(goal.status()).toBe(200);
  const made = await request.post(`/api/v1/jobs/${job}/drawings`, {
    data: { name: 'My own steps', states: [{ kit, steps: [] }], position: 0 },
  });
  expect(made.status()).toBe(201);
  const { id } = (await made.json()) as { id: number };
  return { job, path: `/jobs/${job}/drawing/${id}` };
}

async function open(page: Page, path: string): Promise<void> {
  await page.goto(path);
  await expect(page.getByRole('group', { name: /Drawing board/ })).toBeVisible();
}

const basin = (page: Page, strip: number, number: number): Locator =>
  page.locator(`[data-spot="${strip}-p${number}"]`);
const steps = (page: Page): Locator => page.getByRole('region', { name: /^Steps/ }).getByRole('listitem');
/** Does something and waits until the server has it. */
async function saving(page: Page, action: () => Promise<void>): Promise<void> {
  const reply = page.waitForResponse((one) => one.request().method() === 'PUT' && one.ok());
  await action();
  await reply;
  await expect(page.getByText('Saved', { exact: true })).toBeVisible();
}

/** Drags a part of a basin by pixels; `hold` is called while it is still held. */
async function drag(
  page: Page,
  on: Locator,
  part: 'left' | 'body' | 'right',
  by: number,
  hold?: () => Promise<void>,
): Promise<void> {
  const box = (await on.locator('rect').first().boundingBox())!;
  const x = part === 'left' ? box.x + 2 : part === 'right' ? box.x + box.width - 2 : box.x + box.width / 2;
  await page.mouse.move(x, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(x + by, box.y + box.height / 2, { steps: 6 });
  await hold?.();
  await page.mouse.up();
}

test('a drag stops at the floor with its reason, Escape leaves all as it was, a kit says what it can’t do, and one button mends a shrink of the wrong end', async ({
  page,
  request,
}) => {
  const { path } = await newDrawing(request);
  await open(page, path);
  await drag(page, basin(page, 0, 3), 'right', -2000, async () => {
    await expect(page.getByText(/brings Catalogue \(D:\) down to/).first()).toBeVisible();
    await page.keyboard.press('Escape');
  });
  await expect(steps(page)).toHaveCount(0);
  await drag(page, basin(page, 0, 1), 'right', 200, async () => {
    await expect(page.getByText('Recovery is in the way.').first()).toBeVisible();
  });
  await expect(steps(page)).toHaveCount(0);

  await drag(page, basin(page, 0, 3), 'left', 120);
  await expect(steps(page)).toHaveCount(2);
  await page.getByRole('combobox', { name: 'Kit' }).selectOption('windows-only');
  await expect(steps(page).nth(1)).toContainText('No tool of the kit “Windows only” moves Catalogue (D:).');

  await open(page, (await newDrawing(request)).path);
  await drag(page, basin(page, 0, 3), 'right', -120, async () => {
    await expect(page.getByText('Right end of Catalogue (D:)').first()).toBeVisible();
  });
  await expect(steps(page)).toHaveCount(1);
  const advice = page.getByRole('region', { name: 'Advice' });
  await expect(advice).toContainText('The room that you made lies behind Catalogue; C: can’t reach it');
  await advice.getByRole('button', { name: 'Shrink Catalogue at its left end' }).click();
  await expect(steps(page)).toHaveCount(3);
  await expect(advice).not.toContainText('can’t reach it');
  await basin(page, 3, 1).click();
  await page.getByRole('button', { name: 'Extend into all in reach' }).click();
  await expect(page.getByText(/the goal is reached/)).toBeVisible();
});

test('a whole drawing with the keyboard only, exact to the byte', async ({ page, request }) => {
  const { path } = await newDrawing(request);
  await open(page, path);
  await basin(page, 0, 1).focus();
  // D: shrinks by 60 GiB, moves to the end; Recovery follows; C: takes the room.
  await page.keyboard.press('End');
  await page.keyboard.press('r');
  for (let i = 0; i < 60; i++) await page.keyboard.press('Shift+ArrowLeft');
  await page.keyboard.press('Enter');
  await expect(steps(page)).toHaveCount(1);
  await page.keyboard.press('w');
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await expect(steps(page)).toHaveCount(2);
  await page.keyboard.press('Home');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('w');
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await expect(steps(page)).toHaveCount(3);
  await page.keyboard.press('Home');
  await page.keyboard.press('f');
  await expect(steps(page)).toHaveCount(4);
  await expect(page.getByText(/C: 160\.0 GiB of 150\.0 GiB, the goal is reached/)).toBeVisible();
  // Taken back to the MiB: 10 GiB less than all there is.
  await page.keyboard.press('r');
  for (let i = 0; i < 10; i++) await page.keyboard.press('Shift+ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/C: 150\.0 GiB of 150\.0 GiB/)).toBeVisible();
  // The ends of what is chosen are reached by Tab as well, and an arrow takes hold of one.
  await page.keyboard.press('Tab');
  const left = page.getByRole('slider', { name: 'Left end of C:' });
  await expect(left).toBeFocused();
  await page.keyboard.press('Tab');
  await expect(page.getByRole('slider', { name: 'Right end of C:' })).toBeFocused();
  await page.keyboard.press('ArrowLeft');
  await expect(page.getByText('Right end of C:').first()).toBeVisible();
  await page.keyboard.press('Escape');
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.getByText('Saved', { exact: true })).toBeVisible();
});

test('undo and redo reach through a reload, and two windows lose no steps of each other', async ({
  page,
  request,
  context,
}) => {
  const { path } = await newDrawing(request);
  await open(page, path);
  await saving(page, () => drag(page, basin(page, 0, 3), 'right', -100));
  await expect(steps(page)).toHaveCount(1);
  await saving(page, () => drag(page, basin(page, 1, 3), 'right', -50));
  await expect(steps(page)).toHaveCount(2);
  await page.reload();
  await expect(steps(page)).toHaveCount(2);
  const undo = page.getByRole('button', { name: 'Undo' });
  await saving(page, () => undo.click());
  await saving(page, () => undo.click());
  await expect(steps(page)).toHaveCount(0);
  await expect(undo).toBeDisabled();
  await page.reload();
  await expect(steps(page)).toHaveCount(0);
  await saving(page, () => page.getByRole('button', { name: 'Redo' }).click());
  await expect(steps(page)).toHaveCount(1);
  await saving(page, () => undo.click());

  const other = live(await context.newPage());
  await open(other, path);
  await saving(other, () => drag(other, basin(other, 0, 3), 'right', -60));
  await drag(page, basin(page, 0, 3), 'right', -160);
  const alarm = page.getByRole('alert').filter({ hasText: 'Another window changed this drawing.' });
  await expect(alarm).toBeVisible();
  const mine = await steps(page).first().textContent();
  await alarm.getByRole('button', { name: 'Keep mine as a copy' }).click();
  await expect(page.getByRole('textbox', { name: 'Name of the drawing' })).toHaveValue('My own steps (copy)');
  await expect(steps(page).first()).toHaveText(mine!.trim());
  // The other window's is untouched, and can be looked at from a window that was refused.
  await other.reload();
  await expect(steps(other)).toHaveCount(1);
  expect(await steps(other).first().textContent()).not.toBe(mine);
});

test('figures are typed; a step is put in order, switched off, given a tool, joined and removed; a deletion asks for the owner’s word', async ({
  page,
  request,
}) => {
  const { path } = await newDrawing(request);
  await open(page, path);
  await basin(page, 0, 3).click();
  const chosen = page.getByRole('region', { name: 'What is chosen' });
  const size = chosen.getByLabel('Size', { exact: true });
  await size.fill('200 GiB');
  await size.press('Enter');
  await expect(steps(page)).toHaveText([/Shrink.*Catalogue by 100\.0 GiB/]);
  await size.fill('10 GiB');
  await size.press('Enter');
  await expect(page.getByText(/brings Catalogue \(D:\) down to/)).toBeVisible();
  await size.press('Escape');
  const take = page.getByLabel('Take', { exact: true });
  await take.fill('20 GiB');
  await take.press('Enter');
  await expect(steps(page)).toHaveCount(2);
  await steps(page).first().getByRole('button', { name: 'join' }).click();
  await expect(steps(page)).toHaveText([/Shrink.*Catalogue by 120\.0 GiB/]);
  // A step that is there already is given another figure, and keeps its place.
  await steps(page)
    .first()
    .getByRole('button', { name: /^Change/ })
    .click();
  const figure = steps(page).first().getByLabel('Size', { exact: true });
  await figure.fill('190 GiB');
  await figure.press('Enter');
  await expect(steps(page)).toHaveText([/Shrink.*Catalogue by 110\.0 GiB/]);
  await figure.fill('180 GiB');
  await figure.press('Enter');
  await expect(steps(page)).toHaveText([/Shrink.*Catalogue by 120\.0 GiB/]);
  await steps(page)
    .first()
    .getByRole('button', { name: /^Change/ })
    .click();
  const start = page.getByLabel('Start', { exact: true });
  await basin(page, 1, 3).click();
  await start.fill('200 GiB');
  await start.press('Enter');
  await expect(steps(page)).toHaveCount(2);
  await page.getByRole('button', { name: 'Shrink Catalogue by 120.0 GiB: later' }).click();
  await expect(steps(page).first()).toContainText('This can’t be: it would leave the usable area.');
  await steps(page).first().getByRole('button', { name: 'off' }).click();
  await expect(steps(page).first()).not.toContainText('This can’t be');
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await steps(page).first().getByRole('combobox').selectOption('windows');
  await expect(steps(page).first()).toContainText('Windows');
  await steps(page)
    .nth(1)
    .getByRole('button', { name: /^Remove/ })
    .click();
  await expect(steps(page)).toHaveCount(1);

  await open(page, (await newDrawing(request)).path);
  await basin(page, 0, 1).click();
  await expect(page.getByText('C: is the target; it is never deleted.')).toBeVisible();
  await basin(page, 0, 3).click();
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  const ask = page.getByRole('button', { name: 'Delete it in the drawing' });
  await page.getByLabel('Who allowed it').fill('the librarian, by phone');
  await expect(ask).toBeDisabled();
  await page.getByLabel(/Type its name, Catalogue/).fill('Catalogue');
  await ask.click();
  await expect(steps(page)).toHaveText([/Delete.*Catalogue/]);
});

test('the planner finishes a drawing, a route is opened as one, the way back leads to the start, and everybody can use it', async ({
  page,
  request,
}) => {
  const { job, path } = await newDrawing(request);
  await open(page, path);
  await isAccessible(page, 'an empty drawing');
  await drag(page, basin(page, 0, 3), 'right', -150);
  await isAccessible(page, 'a drawing with a step');
  await page.getByRole('button', { name: /^Finish it/ }).click();
  await expect(page.getByText(/the goal is reached/)).toBeVisible();
  await expect(page.getByRole('region', { name: 'Against the found routes' }).getByRole('row')).toHaveCount(
    10,
  );
  const count = await steps(page).count();
  await basin(page, count, 1).click();
  await page.getByRole('button', { name: 'The way back' }).click();
  await expect(page.getByText(/back to the layout as found/)).toBeVisible();
  await expect(page.getByText(/C: 100\.0 GiB of 150\.0 GiB/)).toBeVisible();
  await page.goto(`/jobs/${job}/route`);
  await expect(page.getByRole('link', { name: 'My own steps' })).toBeVisible();
  await page.getByRole('button', { name: 'Change this route by hand' }).click();
  await expect(page.getByText(/the goal is reached/)).toBeVisible();
  // The table says what the chart shows.
  await page.getByText('The same as a table').click();
  const rows = page.getByRole('table', { name: /exact figures/ }).getByRole('row');
  await expect(rows).toHaveCount((await steps(page).count()) + 1);
  const strips = page.getByRole('list', { name: 'Steps of the drawing' });
  for (const [i, text] of (await strips.locator('.step b').allTextContents()).entries()) {
    await expect(rows.nth(i + 1)).toContainText(text);
  }
});
