import { expect, test } from '@playwright/test';
import {
  begin,
  card,
  clickAt,
  enterKeeps,
  factsOf,
  find,
  live,
  noErrors,
  number,
  picked,
  settled,
  stage,
  statuses,
  tool,
  type,
  typePoints,
} from './helpers.ts';

test('job a: two splines on two planes, loft, stripes, extruded along a picked line', async ({ page }) => {
  const bad = await begin(page, 'Job a');
  // a plane 40 up, by keys; the first spline is typed, digits go to the coordinates and never to the stages
  await find(page, 'work plane');
  await type(page, 'Offset z', '40');
  await enterKeeps(page);
  await stage(page, 'Curves');
  await tool(page, 'Spline through points');
  await typePoints(page, [
    [10, -20],
    [14, -5],
    [9, 6],
    [12, 20],
  ]);
  await expect(page.locator('.drawbar')).toContainText('4 points');
  // the stage is still that of curves: 1 and 2 were coordinates
  await expect(page.getByRole('navigation', { name: 'Stages' }).getByRole('button', { name: /^Curves/ })).toHaveAttribute(
    'aria-current',
    'true',
  );
  await enterKeeps(page);
  // the second one by clicks on the upper plane
  await page.keyboard.press('p');
  await tool(page, 'Spline through points');
  for (const p of [
    [20, -20, 40],
    [25, 0, 40],
    [20, 20, 40],
  ] as const)
    await clickAt(page, p);
  await expect(page.locator('.drawbar')).toContainText('3 points');
  await enterKeeps(page);
  await page.keyboard.press('p');

  await stage(page, 'Skins');
  await tool(page, 'Loft');
  await clickAt(page, [10, -20, 0]);
  await picked(page, 'sections', 1);
  await clickAt(page, [20, -20, 40]);
  await picked(page, 'sections', 2);
  await settled(page);
  await expect(card(page)).toContainText('sectionswithin');
  await enterKeeps(page);
  expect(Object.values(await statuses(page))).toEqual(['fine', 'fine', 'fine', 'fine']);

  // stripes by key, told in the bar
  await page.keyboard.press('l');
  await expect(page.getByRole('button', { name: /^Look Stripes/ })).toBeVisible();

  // a straight line along x, and the first spline extruded along it: y runs from -20 to 20 without turning back, so the sheet has 40 x 15
  await stage(page, 'Curves');
  await tool(page, 'Polyline');
  await typePoints(page, [
    [-40, -30],
    [-25, -30],
  ]);
  await enterKeeps(page);
  await stage(page, 'Skins');
  await tool(page, 'Extrude');
  await clickAt(page, [10, -20, 0]);
  await picked(page, 'profile', 1);
  await card(page).locator('[data-slot="along"]').click();
  await clickAt(page, [-30, -30, 0]);
  await picked(page, 'along', 1);
  await type(page, 'Distance', '15');
  await enterKeeps(page);
  const areas = (await factsOf(page, 'skin')).map((f) => number(f.area));
  expect(areas.some((a) => Math.abs(a - 600) < 1e-2)).toBe(true);
  expect((await live(page)).filter((p) => p.kind === 'skin').length).toBe(2);
  await noErrors(page, bad);
});
