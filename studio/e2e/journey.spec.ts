import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import {
  card,
  clickAt,
  counts,
  keep,
  live,
  noErrors,
  screen,
  segment,
  settled,
  stage,
  statuses,
  tool,
  type,
  volumeOf,
  watch,
} from './helpers.ts';

test('from curves to a solid in an exchange file and back', async ({ page }, info) => {
  const bad = watch(page);
  await page.goto('/');
  await page.getByRole('button', { name: 'New model' }).click();
  await page.getByLabel('Name of the model').fill('Journey');
  await page.getByLabel('Name of the model').press('Enter');
  await page.waitForURL(/model\//);
  await expect(page.getByText('Start with a curve')).toBeVisible();

  // a circle: centre by clicking, radius by typing
  await tool(page, 'Circle');
  await clickAt(page, [0, 0, 0]);
  await page.getByRole('textbox', { name: 'Radius' }).first().fill('20');
  await page.getByRole('textbox', { name: 'Radius' }).first().press('Enter');
  await expect(card(page)).toContainText('125.664 mm');
  await keep(page);

  // a work plane 30 mm up, made the active one
  await stage(page, 'References');
  await tool(page, 'Work plane');
  await type(page, 'Offset z', '3 cm');
  await keep(page);
  await page.getByRole('button', { name: /^Plane World/ }).click();
  await page.getByRole('menuitem', { name: 'Work plane' }).click();

  // a closed spline through points, by typed coordinates and clicks
  await stage(page, 'Curves');
  await tool(page, 'Spline through points');
  const x = page.getByLabel('x of the next point');
  const y = page.getByLabel('y of the next point');
  for (const [a, b] of [
    ['24', '0'],
    ['0', '22'],
  ]) {
    await x.fill(a);
    await x.press('Tab');
    await y.fill(b);
    await y.press('Enter');
  }
  await clickAt(page, [-25, 0, 30]);
  await clickAt(page, [0, -20, 30]);
  await expect(page.locator('.drawbar')).toContainText('4 points');
  await page.getByRole('button', { name: 'Close it' }).click();
  await settled(page);
  await keep(page);

  // the top section: a circle on a second plane
  await page.keyboard.press('p');
  await stage(page, 'References');
  await tool(page, 'Work plane');
  await type(page, 'Offset z', '70');
  await keep(page);
  await stage(page, 'Curves');
  await tool(page, 'Circle');
  await card(page).locator('[data-slot="plane"]').click();
  await clickAt(page, [50, 0, 70]);
  await expect(card(page).locator('[data-slot="plane"]')).toContainText('Work plane');
  await type(page, 'Radius', '14');
  await keep(page);

  // loft through the three, picked in the view
  await stage(page, 'Skins');
  await tool(page, 'Loft');
  await clickAt(page, [0, -20, 0]);
  await clickAt(page, [0, -20, 30]);
  await clickAt(page, [0, -14, 70]);
  await expect(card(page).locator('.pick')).toHaveCount(3);
  await settled(page);
  await keep(page);

  // a tilted plane cuts the foot
  await stage(page, 'References');
  await tool(page, 'Work plane');
  await type(page, 'Offset z', '8');
  await type(page, 'Turns x', '4');
  await keep(page);
  await stage(page, 'Joins');
  await tool(page, 'Trim');
  await clickAt(page, [0, -23, 45]);
  await expect(card(page).locator('[data-slot="target"] .pick')).toHaveCount(1);
  const corner = [49, 0, 8] as const;
  await clickAt(page, [50, corner[1], 8]);
  await expect(card(page).locator('[data-slot="cutters"] .pick')).toHaveCount(1);
  await segment(page, 'In front');
  await settled(page);
  await keep(page);

  // flat caps on both rims, picked as edges
  await stage(page, 'Skins');
  await tool(page, 'Flat skin');
  await clickAt(page, [0, -14, 70]);
  await settled(page);
  await keep(page);
  await page.getByRole('tab', { name: /^Rims/ }).click();
  await tool(page, 'Flat skin');
  const rim = await page.evaluate(() => {
    const s = (
      window as unknown as { ampleState: () => { proofs: Map<string, { rims: { at: [number, number, number] }[] }> } }
    ).ampleState();
    return [...s.proofs.values()].flatMap((p) => p.rims.map((r) => r.at)).sort((a, b) => a[2] - b[2])[0];
  });
  // the far side of the foot is hidden; the near side of the same rim is not
  const near = await screen(page, [0, -22.2, 8 - 22.2 * Math.tan((4 * Math.PI) / 180)]);
  expect(rim[2]).toBeLessThan(12);
  for (let dy = -6; dy <= 6; dy += 2) {
    if ((await card(page).locator('.pick').count()) > 0) break;
    await page.mouse.click(near.x, near.y + dy);
    await page.waitForTimeout(120);
  }
  await expect(card(page).locator('.pick')).toHaveCount(1);
  await settled(page);
  await keep(page);

  // knit the three skins from the pieces list
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  const rows = page.locator('.right .row');
  await rows.filter({ hasText: 'Trim' }).click();
  for (const r of await rows.filter({ hasText: 'Flat skin' }).all()) await r.click({ modifiers: ['Control'] });
  await page.getByRole('toolbar', { name: 'For this selection' }).getByRole('button', { name: 'Knit', exact: true }).click();
  await expect(card(page).locator('.pick')).toHaveCount(3);
  await settled(page);
  await expect(card(page)).toContainText('watertight');
  await keep(page);
  await expect(page.getByTestId('watertight')).toHaveText('Watertight');

  // solid with a 1.2 mm wall
  await stage(page, 'Solids');
  await tool(page, 'Close to solid');
  await clickAt(page, [0, -23, 45]);
  await settled(page);
  await keep(page);
  await expect(page.getByTestId('watertight')).toHaveText('Watertight solid');
  await tool(page, 'Shell');
  await clickAt(page, [0, -23, 45]);
  await type(page, 'Wall', '1.2');
  await settled(page);
  await keep(page);
  await expect(page.getByTestId('watertight')).toHaveText('Watertight solid');

  // stripes
  await page.keyboard.press('l');
  await expect(page.getByRole('button', { name: /^Look Stripes/ })).toBeVisible();

  // STEP out
  await stage(page, 'Output');
  await tool(page, 'Export');
  await clickAt(page, [0, -23, 45]);
  const download = page.waitForEvent('download');
  await card(page).getByRole('button', { name: 'Write file' }).click();
  const path = info.outputPath('journey.step');
  await (await download).saveAs(path);
  await settled(page);
  expect(readFileSync(path, 'utf8')).toContain('ISO-10303-21');
  const solid = (await live(page)).find((p) => p.kind === 'solid');
  const volume = volumeOf(solid?.facts ?? {});
  expect(volume).toBeGreaterThan(1000);
  const after = await counts(page);
  const url = page.url();

  // STEP in, as a new model
  await page.goto('/');
  await page.locator('input[type=file]').setInputFiles(path);
  await page.waitForURL(/model\//);
  await settled(page);
  const back = (await live(page)).find((p) => p.kind === 'solid');
  expect(Math.abs(volumeOf(back?.facts ?? {}) / volume - 1)).toBeLessThan(1e-6);
  await expect(page.getByTestId('watertight')).toHaveText('Watertight solid');

  // everything undone, redone, reloaded
  await page.goto(url);
  await settled(page);
  for (let i = 0; i < after.undo; i++) await page.keyboard.press('Control+z');
  await settled(page);
  expect(await counts(page)).toEqual({ steps: 0, undo: 0, redo: after.undo });
  for (let i = 0; i < after.undo; i++) await page.keyboard.press('Control+Shift+z');
  await settled(page);
  expect((await counts(page)).steps).toBe(after.steps);
  await page.reload();
  await settled(page);
  const again = (await live(page)).find((p) => p.kind === 'solid');
  expect(volumeOf(again?.facts ?? {})).toBe(volume);
  expect(Object.values(await statuses(page)).every((s) => s === 'fine')).toBe(true);
  await noErrors(page, bad);
});
