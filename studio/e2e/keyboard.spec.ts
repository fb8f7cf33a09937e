import { readFileSync } from 'node:fs';
import { expect, type Page, test } from '@playwright/test';
import { begin, enterKeeps, factsOf, find, noErrors, settled, slot, typePoints, volumeOf } from './helpers.ts';

/** Tab until something has the focus; fails when it cannot be reached. */
async function tabTo(page: Page, reached: (page: Page) => Promise<boolean>, most = 100): Promise<void> {
  for (let k = 0; k < most; k++) {
    if (await reached(page)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error('not reached by Tab');
}
const focused = (selector: string) => (page: Page) => page.evaluate((s) => !!document.activeElement?.matches(s), selector);

test('keys only: from curves to a solid in a STEP file, no mouse', async ({ page }, info) => {
  const bad = await begin(page, 'Keys');
  await page.evaluate(() => {
    const seen = window as unknown as { pressed: number };
    seen.pressed = 0;
    window.addEventListener('pointerdown', () => seen.pressed++, true);
  });
  // a circle: its centre and radius typed
  await find(page, 'circle');
  await typePoints(page, [[0, 0]]);
  await expect(page.getByLabel('Radius of the drawn circle')).toBeFocused();
  await page.keyboard.type('10');
  await page.keyboard.press('Enter');
  await enterKeeps(page);
  expect((await factsOf(page, 'curve')).length).toBe(1);
  // the tool asks for a profile: the piece found by name is taken
  await find(page, 'extrude');
  await find(page, 'Circle 1');
  await expect(slot(page, 'profile').locator('.pick')).toHaveCount(1);
  await tabTo(page, focused('input[aria-label="Distance"]'));
  await page.keyboard.type('25');
  await page.keyboard.press('Enter');
  await enterKeeps(page);
  const solid = (await factsOf(page, 'solid'))[0];
  expect(volumeOf(solid)).toBeCloseTo(Math.PI * 100 * 25, 2);
  // the wall
  await page.keyboard.press('Control+a');
  await find(page, 'shell');
  await expect(slot(page, 'solid').locator('.pick')).toHaveCount(1);
  await enterKeeps(page);
  // written as STEP
  await page.keyboard.press('Control+a');
  await find(page, 'export');
  await settled(page);
  await tabTo(page, (p) => p.evaluate(() => document.activeElement?.textContent === 'Write file'), 120);
  const download = page.waitForEvent('download');
  await page.keyboard.press('Enter');
  const path = info.outputPath('keys.step');
  await (await download).saveAs(path);
  // a shelled solid without openings has a void inside
  expect(/= BREP_WITH_VOIDS\(/.test(readFileSync(path, 'utf8'))).toBe(true);
  expect(await page.evaluate(() => (window as unknown as { pressed: number }).pressed)).toBe(0);
  await noErrors(page, bad);
});
