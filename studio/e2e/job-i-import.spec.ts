import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@playwright/test';
import { card, enterKeeps, live, noErrors, settled, stage, tab, tool, watch } from './helpers.ts';

const CAP = fileURLToPath(new URL('../../demo/files/returned-cap.step', import.meta.url));

test('job i: a returned file is brought in, looked at, measured, hidden, mended where it can be, and written', async ({ page }, info) => {
  const bad = watch(page);
  await page.goto('/');
  await page.locator('input[type=file]').setInputFiles(CAP);
  await page.waitForURL(/model\//);
  await settled(page);
  const came = await live(page);
  expect(came.length).toBeGreaterThan(0);
  // look round: the named views, the next view by key, everything fitted
  for (let k = 0; k < 3; k++) await page.keyboard.press('v');
  await page.keyboard.press('f');
  // its faults: named, shown, each with what mends it
  await tab(page, /^Defects/);
  const rows = page.locator('.desk .ant-table-row');
  await expect(rows.first()).toBeVisible();
  const faults = async () => Number((await page.getByRole('tab', { name: /^Defects/ }).innerText()).replace(/\D/g, ''));
  const before = await faults();
  expect(before).toBeGreaterThan(0);
  await rows.first().click();
  expect(await page.evaluate(() => !!(window as unknown as { ampleState: () => { lit?: unknown } }).ampleState().lit)).toBe(true);
  // facts of the whole, then of one face of it
  await tab(page, /^Pieces/);
  await page.locator('.pieces .row').first().click();
  await expect(page.getByTestId('facts')).toContainText(/area|volume/);
  await tab(page, 'Facts');
  await expect(page.locator('.factspanel dl > div').first()).toBeVisible();
  // in the view: the first click takes the piece, the second its face, each lit in the list
  await page.keyboard.press('Escape');
  const picks = () =>
    page.evaluate(() => {
      type Pick = { part?: { kind: string } };
      return (window as unknown as { ampleState: () => { selection: Pick[] } }).ampleState().selection.map((p) => p.part?.kind ?? 'piece');
    });
  const view = await page.getByTestId('view').boundingBox();
  if (!view) throw new Error('no view');
  const at = { x: view.x + view.width / 2, y: view.y + view.height / 2 };
  await page.mouse.click(at.x, at.y);
  expect(await picks()).toEqual(['piece']);
  await expect(page.locator('.pieces .row.selected')).toHaveCount(1);
  await page.waitForTimeout(400);
  await page.mouse.click(at.x, at.y);
  expect(['face', 'edge']).toContain((await picks())[0]);
  await expect(page.getByTestId('facts')).toContainText(/area|length/);
  await page.keyboard.press('Escape');
  await page.locator('.pieces .row').first().click();
  // hidden by key and shown again; undo has its name
  await page.keyboard.press('h');
  await expect(page.locator('.pieces .row.dim')).toHaveCount(1);
  await expect(page.getByRole('button', { name: 'Undo' })).toHaveAttribute('title', 'Undo: Hide');
  await page.keyboard.press('Control+z');
  await expect(page.locator('.pieces .row.dim')).toHaveCount(0);
  // mended from the row of a fault, as far as it goes
  await tab(page, /^Defects/);
  for (let k = 0; k < 6; k++) {
    const mend = page.locator('.desk .ant-table-row .actions .ant-btn-default').first();
    if (!(await mend.count())) break;
    const had = await faults();
    await mend.click();
    await settled(page);
    await expect(card(page)).toBeVisible();
    await enterKeeps(page);
    await tab(page, /^Defects/);
    await settled(page);
    if ((await faults()) >= had) break;
  }
  await expect.poll(faults).toBeLessThan(before);
  // out again, as it stands now
  await stage(page, 'Output');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');
  await tool(page, 'Export');
  await tab(page, /^Pieces/);
  await page.locator('.pieces .row').first().click();
  await tab(page, 'Build sheet');
  const download = page.waitForEvent('download');
  await card(page).getByRole('button', { name: 'Write file' }).click();
  const path = info.outputPath('mended.step');
  await (await download).saveAs(path);
  expect(readFileSync(path, 'utf8')).toContain('ISO-10303-21');
  await noErrors(page, bad);
});
