import { expect, type Page, test } from '@playwright/test';
import { begin, card, counts, dragFrom, field, live, noErrors, settled, statuses, tab, type, volumeOf } from './helpers.ts';

const dials = [{ name: 'radius', formula: '10 mm', unit: 'length' }];
const steps = [
  { id: 'c', tool: 'circle', name: 'Foot', params: { radius: 'radius' } },
  { id: 'e', tool: 'extrude', version: 2, name: 'Post', inputs: { profile: [{ step: 'c', output: 'main' }] }, params: { distance: 30 } },
  { id: 'd', tool: 'circle', name: 'Other foot', params: { centre: [[50, 0]], radius: 5 } },
  { id: 'm', tool: 'move', name: 'Shift', inputs: { pieces: [{ step: 'e', output: 'main' }] }, params: { by: [0, 30, 0] } },
];
const volume = async (page: Page) => volumeOf((await live(page)).find((p) => p.kind === 'solid')?.facts ?? {});
const cylinder = (r: number, h: number) => Math.PI * r * r * h;
const order = (page: Page) =>
  page.evaluate(() =>
    (window as unknown as { ampleState: () => { model: { steps: { id: string }[] } } })
      .ampleState()
      .model.steps.map((s) => s.id)
      .join(' '),
  );

test('job j: a dial, an input lost, twenty undone and done again, reloaded, muted, reordered, renamed', async ({ page }) => {
  const bad = await begin(page, 'Job j', steps, dials);
  expect(await volume(page)).toBeCloseTo(cylinder(10, 30), 2);
  await tab(page, /^Dials/);
  const dial = page.getByLabel('radius', { exact: true });
  await dial.fill('12 mm');
  await dial.press('Enter');
  await settled(page);
  expect(await volume(page)).toBeCloseTo(cylinder(12, 30), 2);
  // one typed number is one change
  expect((await counts(page)).undo).toBe(1);

  // the input goes: it is said who waits, and the badge waits with them
  await tab(page, 'Build sheet');
  await page.getByRole('button', { name: 'More for Foot', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Remove' }).click();
  await expect(page.getByRole('dialog')).toContainText('Post');
  await page.getByRole('dialog').getByRole('button', { name: 'Remove', exact: true }).click();
  await settled(page);
  expect(await statuses(page)).toMatchObject({ e: 'waits', m: 'waits' });
  await expect(page.getByTestId('watertight')).toContainText('2 steps wait');
  await page.keyboard.press('Control+z');
  await settled(page);
  await expect(page.locator('.row.waits')).toHaveCount(0);

  // eighteen more numbers, each one change, all undone and done again by keys
  await page.locator('.row', { hasText: 'Post' }).first().click();
  for (let k = 1; k <= 18; k++) await type(page, 'Distance', String(30 + k));
  await page.keyboard.press('Escape');
  await settled(page);
  expect(await counts(page)).toMatchObject({ undo: 19, redo: 0 });
  await page.locator('.row', { hasText: 'Other foot' }).first().click();
  await type(page, 'Radius', '6');
  await page.keyboard.press('Escape');
  await settled(page);
  expect((await counts(page)).undo).toBe(20);
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toHaveAttribute('title', 'Undo: Change Other foot');
  for (let k = 0; k < 20; k++) await page.keyboard.press('Control+z');
  await settled(page);
  expect(await counts(page)).toMatchObject({ undo: 0, redo: 20 });
  expect(await volume(page)).toBeCloseTo(cylinder(10, 30), 2);
  for (let k = 0; k < 20; k++) await page.keyboard.press('Control+Shift+z');
  await settled(page);
  expect(await volume(page)).toBeCloseTo(cylinder(12, 48), 2);
  // the list of changes jumps to any of them
  await page.getByTestId('save-state').click();
  await page.getByRole('option', { name: /As it was at first/ }).click();
  await settled(page);
  expect(await volume(page)).toBeCloseTo(cylinder(10, 30), 2);
  await page.getByRole('option', { name: /^20 / }).click();
  await page.keyboard.press('Escape');
  await settled(page);
  await page.reload();
  await settled(page);
  expect(await volume(page)).toBeCloseTo(cylinder(12, 48), 2);

  // muted: the main input goes on to what follows
  const menu = async (item: string) => {
    await page.getByRole('button', { name: 'More for Shift', exact: true }).click();
    await page.getByRole('menuitem', { name: item, exact: true }).click();
    await settled(page);
  };
  await menu('Mute');
  expect((await statuses(page)).m).toBe('muted');
  expect(await volume(page)).toBeCloseTo(cylinder(12, 48), 2);
  await menu('Unmute');
  expect((await statuses(page)).m).toBe('fine');

  // reordered by dragging, and by keys
  const row = (name: string) => page.getByRole('group', { name: `Step ${name}`, exact: true });
  const middle = async (name: string) => {
    const box = await row(name).boundingBox();
    if (!box) throw new Error(`no row ${name}`);
    return { x: box.x + 60, y: box.y + box.height / 2 };
  };
  expect(await order(page)).toBe('c e d m');
  const to = await middle('Foot');
  await dragFrom(page, await middle('Other foot'), { x: to.x, y: to.y - 6 }, 12);
  await settled(page);
  expect(await order(page)).toBe('d c e m');
  await row('Other foot').focus();
  // what is told to those who do not see is waited for: a busy page takes its time to measure the rows
  const told = page.locator('[id^="DndLiveRegion"]').first();
  await page.keyboard.press('Space');
  await expect(told).toContainText('d was moved over droppable area d');
  await expect(async () => {
    await page.keyboard.press('ArrowDown');
    await expect(told).toContainText('d was moved over droppable area c', { timeout: 2000 });
  }).toPass();
  await page.keyboard.press('Space');
  await settled(page);
  expect(await order(page)).toBe('c d e m');

  // a name given to a step is its name everywhere
  await row('Post').click();
  await page.getByLabel('Name of the step').fill('Round post');
  await page.getByLabel('Name of the step').press('Enter');
  await page.keyboard.press('Escape');
  await row('Shift').click();
  await expect(card(page).locator('[data-slot="pieces"]')).toContainText('Round post');
  await expect(field(card(page), 'By y')).toHaveValue('30');
  await page.keyboard.press('Escape');
  await settled(page);
  await noErrors(page, bad);
});
