import { readFileSync } from 'node:fs';
import { expect, type Page, test } from '@playwright/test';
import { unzipSync } from 'fflate';
import { begin, noErrors, shot, recipeStep as step, tab, watch } from './helpers.ts';

const jobs = (page: Page) => page.getByRole('main').locator('.ant-table').first();
const items = (page: Page) => page.locator('.jobdetail .ant-table-row');
async function choose(page: Page, ...names: string[]): Promise<void> {
  const dialog = page.getByRole('dialog', { name: 'New job' });
  await dialog.getByRole('combobox', { name: 'Models' }).click();
  for (const n of names)
    await page.locator('.ant-select-dropdown:not(.ant-select-dropdown-hidden)').getByTitle(n, { exact: true }).first().click();
  await page.keyboard.press('Escape');
}

test('many models are checked and exported as jobs, with their files in one', async ({ page }) => {
  const bad = watch(page);
  for (const [name, width] of [
    ['Crate', 30],
    ['Tray', 50],
    ['Broken crate', -1],
  ] as const)
    await page.request.post('/api/models', {
      data: {
        name,
        recipe: {
          format: 'ample-skin-recipe',
          version: 1,
          name,
          steps: [step('b', 'primitive', { shape: 'box', width, depth: 20, height: 10, solid: true })],
        },
      },
    });
  await page.goto('/');
  await page.getByRole('link', { name: 'Jobs' }).click();
  await expect(page.getByRole('heading', { name: 'Jobs' })).toBeVisible();
  await page.getByRole('button', { name: 'New job' }).click();
  await expect(page.getByRole('button', { name: 'Start' })).toBeDisabled();
  await choose(page, 'Crate', 'Broken crate');
  await page.getByRole('button', { name: 'Start' }).click();
  await expect(items(page)).toHaveCount(2);
  await expect(items(page).nth(0)).toContainText('fine');
  await expect(items(page).nth(0)).toContainText('6000 mm³');
  await expect(items(page).nth(1)).toContainText('not fine');
  await expect(jobs(page)).toContainText('1 of 2 not fine');
  await shot(page, 'jobs-check');
  await page.getByRole('button', { name: 'New job' }).click();
  await page.getByText('Export', { exact: true }).click();
  await choose(page, 'Crate', 'Tray');
  await page.getByRole('button', { name: 'Start' }).click();
  await expect(page.getByRole('link', { name: 'Save 2 files' })).toBeVisible({ timeout: 120_000 });
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Save 2 files' }).click()]);
  const packed = unzipSync(readFileSync(await file.path()));
  expect(Object.keys(packed).sort()).toEqual(['Crate.step', 'Tray.step']);
  for (const data of Object.values(packed)) expect(Buffer.from(data).toString('latin1')).toMatch(/^ISO-10303-21/);
  await shot(page, 'jobs-export');
  await noErrors(page, bad);
});

test('a sweep sent away goes on by itself; cancelled in the middle it is taken up again', async ({ page, context }) => {
  const dials = [{ name: 'r', formula: '10', unit: 'length' }];
  const bad = await begin(page, 'Ball', [step('b', 'primitive', { shape: 'ball', radius: 'r', solid: true })], dials as never);
  await tab(page, /^Dials/);
  await page.getByRole('button', { name: 'Sweep a dial' }).click();
  await page.getByLabel('Runs, r', { exact: true }).fill('12');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'As a job' }).click();
  const [away] = await Promise.all([context.waitForEvent('page'), page.getByRole('button', { name: 'See it' }).click()]);
  await page.close();
  const worse = watch(away);
  await expect(items(away)).toHaveCount(12);
  await expect(away.locator('.jobdetail .met').first()).toBeVisible();
  await away.getByRole('button', { name: 'Cancel' }).click();
  await expect(away.getByRole('button', { name: 'Try again' })).toBeVisible();
  await away.getByRole('button', { name: 'Try again' }).click();
  await expect(away.locator('.jobdetail .met')).toHaveCount(12, { timeout: 180_000 });
  // the last one is the ball of half as much again: 4/3 pi 15^3
  await expect(items(away).nth(11)).toContainText('14137.17 mm³');
  await shot(away, 'jobs-sweep');
  await away.getByRole('button', { name: 'Remove' }).click();
  await expect(items(away)).toHaveCount(0);
  expect([...bad, ...worse]).toEqual([]);
});
