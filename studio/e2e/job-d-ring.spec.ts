import { expect, test } from '@playwright/test';
import {
  begin,
  card,
  clickAt,
  enterKeeps,
  factsOf,
  field,
  lookFrom,
  noErrors,
  number,
  picked,
  screen,
  segment,
  settled,
  slot,
  stage,
  tab,
  tool,
  type,
  typePoints,
  volumeOf,
} from './helpers.ts';

test('job d: a rounded rectangle offset inwards, the ring between, one hollow solid', async ({ page }) => {
  const bad = await begin(page, 'Job d');
  await tool(page, 'Rectangle');
  await segment(page, 'Middle');
  await page.getByLabel('x of the next point').focus();
  await typePoints(page, [[0, 0]]);
  for (const [label, value] of [
    ['Width', '60'],
    ['Height', '40'],
    ['Corner radius', '8'],
  ] as const)
    await type(page, label, value);
  await enterKeeps(page);
  await lookFrom(page, 0, 90);

  await tool(page, 'Offset curve');
  await clickAt(page, [30, 0, 0]);
  await picked(page, 'chain', 1);
  await type(page, 'Distance', '5');
  await settled(page);
  // whichever side that is, the other one is one sign away
  const outer = 2 * (44 + 24) + 2 * Math.PI * 8;
  const length = async () => Math.min(...(await factsOf(page, 'curve')).map((f) => number(f.length)));
  if ((await length()) > outer - 1) await type(page, 'Distance', '-5');
  await settled(page);
  // 5 inwards from rounded corners: the length falls by 2 pi 5
  await expect.poll(length).toBeCloseTo(outer - 10 * Math.PI, 3);
  await enterKeeps(page);

  // both loops taken in the view, the ring region made from them
  const [a, b] = [await screen(page, [30, 3, 0]), await screen(page, [25, 3, 0])];
  await page.keyboard.press('Escape');
  await page.mouse.click(a.x, a.y);
  await page.keyboard.down('Control');
  await page.mouse.click(b.x, b.y);
  await page.keyboard.up('Control');
  await expect(page.getByTestId('facts')).toBeVisible();
  const bar = page.getByRole('toolbar', { name: 'For this selection' });
  await expect(bar).toContainText('2 picked');
  await bar.getByRole('button', { name: /^More/ }).click();
  await page.getByRole('menuitem', { name: 'Flat skin' }).click();
  await picked(page, 'loops', 2);
  await enterKeeps(page);
  const area = 60 * 40 - (4 - Math.PI) * 64 - (50 * 30 - (4 - Math.PI) * 9);
  expect(number((await factsOf(page, 'skin'))[0].area)).toBeCloseTo(area, 2);

  // the same two loops extruded: one solid with a hollow through it
  await stage(page, 'Skins');
  await page.keyboard.press('Escape');
  await tool(page, 'Extrude');
  // what is missing is asked for in calm words; red is for what cannot work
  await expect(card(page).locator('.diag.asks')).toContainText('Pick the curves to raise');
  await expect(card(page).locator('.diag.error')).toHaveCount(0);
  // a click on nothing says what would fit, and the slot goes on asking; so it does when it is clicked itself
  await clickAt(page, [55, 0, 0]);
  await expect(page.locator('.hovertip')).toContainText('Nothing here fits Profile');
  await slot(page, 'profile').click();
  await expect(slot(page, 'profile')).toHaveAttribute('data-active', 'true');
  await clickAt(page, [30, 6, 0]);
  await picked(page, 'profile', 1);
  await settled(page);
  // the preview stands over the inner loop and is picked through
  await clickAt(page, [25, 6, 0]);
  await picked(page, 'profile', 2);
  await type(page, 'Distance', '12');
  await settled(page);
  await expect(field(card(page), 'Distance')).toHaveValue('12');
  await enterKeeps(page);
  const solids = await factsOf(page, 'solid');
  expect(solids.length).toBe(1);
  expect(volumeOf(solids[0])).toBeCloseTo(12 * area, 1);
  await tab(page, /^Defects/);
  await expect(page.locator('.desk')).toContainText('No defects found');
  await noErrors(page, bad);
});
