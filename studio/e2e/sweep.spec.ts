import { readFileSync } from 'node:fs';
import { expect, type Page, test } from '@playwright/test';
import { begin, noErrors, settled, shot, recipeStep as step, tab, watch } from './helpers.ts';

const panel = (page: Page) => page.getByRole('region', { name: 'Dial sweep' });
const rows = (page: Page) => panel(page).locator('.ant-table-row');
async function range(page: Page, dial: string, from: string, to: string, count: string): Promise<void> {
  for (const [label, value] of [
    [`From, ${dial}`, from],
    [`To, ${dial}`, to],
    [`Runs, ${dial}`, count],
  ]) {
    const f = panel(page).getByLabel(label, { exact: true });
    await f.fill(value);
    await f.press('Enter');
  }
}

test('a can over its radius and its height: volumes of cans, a chart, a table, a run taken and one kept as a branch', async ({
  page,
  context,
}) => {
  const dials = [
    { name: 'r', formula: '10', unit: 'length' },
    { name: 'h', formula: '20', unit: 'length' },
  ];
  const bad = await begin(page, 'Can', [step('c', 'primitive', { shape: 'cylinder', radius: 'r', height: 'h' })], dials as never);
  await tab(page, /^Dials/);
  await page.getByRole('button', { name: 'Sweep a dial' }).click();
  // a range that cannot be run says why
  await range(page, 'r', '5', '5', '3');
  await panel(page).getByRole('button', { name: 'Run 3' }).click();
  await expect(panel(page)).toContainText('nothing to sweep');
  await range(page, 'r', '5', '10', '2');
  await panel(page).getByRole('button', { name: 'And over a second dial' }).click();
  await range(page, 'h', '10', '1 cm + r', '2');
  await panel(page).getByRole('button', { name: 'Run 4' }).click();
  await expect(rows(page)).toHaveCount(4);
  const volumes = [5 * 5 * 10, 5 * 5 * 20, 100 * 10, 100 * 20].map((x) => (Math.PI * x).toFixed(1).slice(0, -1));
  for (const [i, v] of volumes.entries()) await expect(rows(page).nth(i)).toContainText(v);
  for (let i = 0; i < 4; i++) await expect(rows(page).nth(i)).toContainText('fine');
  // one number of them as a chart: two lines of two places each
  await expect(panel(page).locator('.recharts-line-dot')).toHaveCount(4);
  await shot(page, 'sweep-can');
  const [file] = await Promise.all([page.waitForEvent('download'), panel(page).getByRole('button', { name: 'CSV' }).click()]);
  expect(file.suggestedFilename()).toBe('Can sweep.csv');
  const lines = readFileSync(await file.path(), 'utf8')
    .trim()
    .split('\r\n');
  expect(lines.length).toBe(5);
  expect(Math.abs(Number(lines[4].split(',')[4]) / (Math.PI * 2000) - 1)).toBeLessThan(1e-9);
  // a run is taken: the open model has it, and undo gives back what was
  await panel(page).getByRole('button', { name: 'Take 5, 20' }).click();
  await settled(page);
  expect(
    await page.evaluate(() => (window as never as { ampleState: () => { model: { dials: object[] } } }).ampleState().model.dials),
  ).toMatchObject([
    { name: 'r', formula: '5' },
    { name: 'h', formula: '20' },
  ]);
  await page.keyboard.press('Control+z');
  await settled(page);
  // a run is kept as a model of its own
  await panel(page).getByRole('button', { name: 'Keep 10, 10' }).click();
  const [branch] = await Promise.all([context.waitForEvent('page'), page.getByRole('button', { name: 'Open it' }).click()]);
  await branch.waitForURL(/model\//);
  await settled(branch);
  await expect(branch.locator('.brand-model')).toHaveText('Can, r 10, h 10');
  await branch.close();
  // another model knows nothing of it
  await page.getByRole('link', { name: 'To all models' }).click();
  await page.getByText('Tansy spout').first().click();
  await page.waitForURL(/model\//);
  await settled(page);
  await expect(page.getByRole('tab', { name: 'Sweep' })).toHaveCount(0);
  await noErrors(page, bad);
});

test('the wall of the shroud from 0.8 to 2 mm: every run fine, the least wall is what was asked, cancelled once', async ({ page }) => {
  const bad = watch(page);
  await page.goto('/');
  await page.getByText('Tansy shroud').first().click();
  await page.waitForURL(/model\//);
  await settled(page);
  await tab(page, /^Dials/);
  await page.getByRole('button', { name: 'Sweep a dial' }).click();
  await panel(page).locator('.ant-select').first().click();
  await page.locator('.ant-select-item-option', { hasText: 'wall' }).click();
  await range(page, 'wall', '0.8', '2', '4');
  await panel(page).getByRole('button', { name: 'Run 4' }).click();
  // modelling goes on beside it; the sweep is ended in the middle and what is there stays
  await expect(rows(page)).toHaveCount(1);
  await panel(page).getByRole('button', { name: 'Cancel' }).click();
  await expect(panel(page)).toContainText('the runs so far stand');
  await panel(page).getByRole('button', { name: 'Run 4' }).click();
  await expect(panel(page).getByRole('button', { name: 'Run 4' })).toBeVisible({ timeout: 180_000 });
  await expect(rows(page)).toHaveCount(4);
  for (const [i, wall] of ['0.8 mm', '1.2 mm', '1.6 mm', '2 mm'].entries()) {
    await expect(
      rows(page)
        .nth(i)
        .locator('td', { hasText: new RegExp(`^${wall.replace('.', '\\.')}$`) }),
    ).toHaveCount(1);
    await expect(rows(page).nth(i)).toContainText('fine');
    await expect(rows(page).nth(i)).toContainText('20 of 20');
  }
  await shot(page, 'sweep-wall');
  await noErrors(page, bad);
});
