import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  clickAt,
  enterKeeps,
  factsOf,
  noErrors,
  picked,
  pickFromList,
  pieceRow,
  settled,
  slot,
  stage,
  tab,
  toggle,
  tool,
  type,
  typePoints,
  volumeOf,
} from './helpers.ts';

const HEIGHT = 30;
const VOLUME = Math.PI * 100 * HEIGHT;
const volumes = async (page: Page) => (await factsOf(page, 'solid')).map(volumeOf).sort((a, b) => a - b);

test('job f: one cylinder made in three ways has one volume', async ({ page }) => {
  const bad = await begin(page, 'Job f', [
    { id: 'front', tool: 'work-plane', version: 2, name: 'Front', params: { base: 'xz', offset: [80, 0, 0] } },
    { id: 'top', tool: 'work-plane', version: 2, name: 'Top', params: { offset: [0, 0, HEIGHT] } },
  ]);
  // 1: a circle pulled up
  await stage(page, 'Curves');
  await tool(page, 'Circle');
  await typePoints(page, [[0, 0]]);
  await page.keyboard.type('10');
  await page.keyboard.press('Enter');
  await enterKeeps(page);
  await tool(page, 'Circle');
  await slot(page, 'plane').click();
  await pickFromList(page, 'Top');
  await expect(slot(page, 'plane')).toContainText('Top');
  await type(page, 'Radius', '10');
  await enterKeeps(page);
  await stage(page, 'Skins');
  await tool(page, 'Extrude');
  await clickAt(page, [0, -10, 0]);
  await picked(page, 'profile', 1);
  await type(page, 'Distance', String(HEIGHT));
  await enterKeeps(page);
  expect((await volumes(page))[0]).toBeCloseTo(VOLUME, 2);

  // 2: the same two circles lofted with caps; the solid that stands there is hidden so that it takes no click
  await tab(page, /^Pieces/);
  await pieceRow(page, 'Extrude 1').click();
  await page.keyboard.press('h');
  await stage(page, 'Skins');
  await tool(page, 'Loft');
  await clickAt(page, [0, -10, 0]);
  await picked(page, 'sections', 1);
  await clickAt(page, [0, -10, HEIGHT]);
  await picked(page, 'sections', 2);
  await toggle(page, 'Cap flat ends');
  await enterKeeps(page);

  // 3: a line turned about an axis line, both on the front plane
  await page.getByRole('button', { name: /^Plane World/ }).click();
  await page.getByRole('menuitem', { name: 'Front' }).click();
  await stage(page, 'Curves');
  await tool(page, 'Polyline');
  await typePoints(page, [
    [10, 0],
    [10, HEIGHT],
  ]);
  await enterKeeps(page);
  await tool(page, 'Polyline');
  await typePoints(page, [
    [0, 0],
    [0, HEIGHT],
  ]);
  await enterKeeps(page);
  await stage(page, 'Skins');
  await tool(page, 'Revolve');
  await clickAt(page, [90, 0, 12]);
  await picked(page, 'profile', 1);
  await slot(page, 'axis').click();
  await clickAt(page, [80, 0, 12]);
  await picked(page, 'axis', 1);
  await toggle(page, 'Cap to a solid').catch(() => undefined);
  await settled(page);
  await enterKeeps(page);
  const all = await volumes(page);
  expect(all.length).toBe(3);
  // the circles and the turned surface are exact; the loft of two equal circles too
  for (const v of all) expect(Math.abs(v / VOLUME - 1)).toBeLessThan(1e-7);
  await expect(page.getByTestId('watertight')).toHaveText('Watertight solid');
  await noErrors(page, bad);
});
