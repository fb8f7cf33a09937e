import { expect, test } from '@playwright/test';
import {
  begin,
  clickAt,
  enterKeeps,
  factsOf,
  lookFrom,
  noErrors,
  picked,
  pickFromList,
  pieceRow,
  settled,
  stage,
  tab,
  toggle,
  tool,
  type,
  typePoints,
  volumeOf,
} from './helpers.ts';

test('job e: a box of six sheets becomes watertight and then a solid', async ({ page }) => {
  const bad = await begin(page, 'Job e');
  await lookFrom(page, 30, 35);
  // the foot: a rectangle by its corners, typed; a flat skin from the selection
  await tool(page, 'Rectangle');
  await typePoints(page, [
    [-20, -15],
    [20, 15],
  ]);
  await enterKeeps(page);
  await stage(page, 'Skins');
  await tool(page, 'Flat skin');
  await clickAt(page, [0, -15, 0]);
  await picked(page, 'loops', 1);
  await enterKeeps(page);
  // two walls from lines, one along x and one along y
  for (const [from, to] of [
    [
      [-20, -15],
      [20, -15],
    ],
    [
      [-20, -15],
      [-20, 15],
    ],
  ] as const) {
    await stage(page, 'Curves');
    await tool(page, 'Polyline');
    await typePoints(page, [from, to]);
    await enterKeeps(page);
  }
  for (const name of ['Polyline 1', 'Polyline 2']) {
    await stage(page, 'Skins');
    await tool(page, 'Extrude');
    await pickFromList(page, name);
    await picked(page, 'profile', 1);
    await type(page, 'Distance', '25');
    await enterKeeps(page);
  }
  // each moved on by a copy to the other side
  for (const [name, axis, by] of [
    ['Flat skin 1', 'z', '25'],
    ['Extrude 1', 'y', '30'],
    ['Extrude 2', 'x', '40'],
  ] as const) {
    await tab(page, /^Pieces/);
    await page.keyboard.press('Escape');
    await pieceRow(page, name).click();
    const bar = page.getByRole('toolbar', { name: 'For this selection' });
    const move = bar.getByRole('button', { name: 'Move', exact: true });
    if (await move.count()) await move.click();
    else {
      await bar.getByRole('button', { name: /^More/ }).click();
      await page.getByRole('menuitem', { name: 'Move', exact: true }).click();
    }
    await picked(page, 'pieces', 1);
    await toggle(page, 'Keep the original');
    await type(page, `By ${axis}`, by);
    await enterKeeps(page);
  }
  const skins = async () => (await factsOf(page, 'skin')).length;
  expect(await skins()).toBe(6);
  // six open sheets are no defect, and not watertight
  await expect(page.getByTestId('watertight')).toContainText('Open: 6 rims');
  await tab(page, /^Defects/);
  await expect(page.locator('.desk')).toContainText('No defects found');

  await tab(page, /^Pieces/);
  const rows = page.locator('.pieces .row', { hasText: /^(Flat skin|Extrude|Move)/ });
  await expect(rows).toHaveCount(6);
  for (let i = 0; i < 6; i++) await rows.nth(i).click({ modifiers: i ? ['Control'] : [] });
  await page.getByRole('toolbar', { name: 'For this selection' }).getByRole('button', { name: 'Knit', exact: true }).click();
  await picked(page, 'skins', 6);
  await settled(page);
  await enterKeeps(page);
  await expect(page.getByTestId('watertight')).toHaveText('Watertight');
  expect(await skins()).toBe(1);

  await stage(page, 'Solids');
  await tool(page, 'Close to solid');
  await clickAt(page, [5, -15, 10]);
  await picked(page, 'skin', 1);
  await enterKeeps(page);
  await expect(page.getByTestId('watertight')).toHaveText('Watertight solid');
  const solids = await factsOf(page, 'solid');
  expect(solids.length).toBe(1);
  expect(volumeOf(solids[0])).toBeCloseTo(40 * 30 * 25, 3);
  // measured from corner to corner of the front, where one sees them
  await page.keyboard.press('m');
  await clickAt(page, [-20, -15, 25]);
  await clickAt(page, [20, -15, 0]);
  const label = page.locator('.badge.measure');
  await expect(label).toContainText('47.17 mm');
  await expect(label).toContainText('x 40 mm, y 0 mm, z -25 mm');
  await page.keyboard.press('Escape');
  await expect(label).toHaveCount(0);
  await noErrors(page, bad);
});
