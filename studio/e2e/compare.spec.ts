import { expect, type Page, test } from '@playwright/test';
import { begin, noErrors, settled, shot, recipeStep as step, tab, watch } from './helpers.ts';

const versions = (page: Page) => page.getByRole('dialog', { name: 'Named versions' });
async function keepVersion(page: Page, name: string): Promise<void> {
  await page.keyboard.press('Control+s');
  await versions(page).getByLabel('Name of the version').fill(name);
  await versions(page).getByRole('button', { name: 'Keep version' }).click();
  await expect(versions(page).getByRole('button', { name: `Compare with ${name}` })).toBeVisible();
}
const recipe = (page: Page) => page.getByTestId('compare-recipe');
const shapes = (page: Page) => page.getByTestId('compare-shapes');
async function dial(page: Page, name: string, value: string): Promise<void> {
  const f = page.locator('.dials').getByLabel(name, { exact: true });
  await f.fill(value);
  await f.press('Enter');
  await settled(page);
}
interface Shown {
  readonly ampleState: () => { readonly compare?: { readonly maps: ReadonlyMap<string, { readonly values: Float32Array }> } };
}

test('a version is kept, a ball grows by half a millimetre, and both stand side by side half a millimetre apart', async ({
  page,
  context,
}) => {
  const dials = [{ name: 'r', formula: '20', unit: 'length' }];
  const bad = await begin(page, 'Ball', [step('b', 'primitive', { shape: 'ball', radius: 'r', solid: true })], dials as never);
  await page.keyboard.press('Control+s');
  await expect(versions(page)).toContainText('None yet');
  await page.keyboard.press('Escape');
  await keepVersion(page, 'Before');
  await page.keyboard.press('Escape');
  await tab(page, /^Dials/);
  await dial(page, 'r', '20.5');
  await page.keyboard.press('Control+s');
  await versions(page).getByRole('button', { name: 'Compare with Before' }).click();
  await expect(recipe(page).locator('.ant-table-row')).toHaveCount(1);
  await expect(recipe(page)).toContainText('20.5');
  await expect(shapes(page).locator('.ant-table-row')).toHaveCount(1);
  await expect(shapes(page)).toContainText('0.5 mm');
  // what is coloured is the distance at every node, to rounding in single precision
  const far = await page.evaluate(() =>
    [...((window as unknown as Shown).ampleState().compare?.maps.values() ?? [])].map((m) =>
      Math.max(...m.values.map((x) => Math.abs(Math.abs(x) - 0.5))),
    ),
  );
  expect(far.length).toBe(2);
  for (const x of far) expect(x).toBeLessThan(1e-6);
  await expect(page.locator('.trialhead')).toHaveText(['Before', 'Ball (now)']);
  await shot(page, 'compare-ball');
  // away with it: the model is as it was
  await page.keyboard.press('Escape');
  await expect(page.locator('.trialhead')).toHaveCount(0);
  // any change of the model ends a comparison
  await page.keyboard.press('Control+s');
  await versions(page).getByRole('button', { name: 'Compare with Before' }).click();
  await expect(shapes(page).locator('.ant-table-row')).toHaveCount(1);
  await page.keyboard.press('Control+z');
  await expect(page.locator('.trialhead')).toHaveCount(0);
  await settled(page);
  // what happened, by time and by step; any state on the way beside what is now
  await page.getByRole('button', { name: 'Settings', exact: true }).click();
  await page.getByText('List of changes').click();
  const changes = page.getByRole('dialog', { name: 'Changes' });
  await changes.getByText('By time').click();
  await expect(changes.locator('li')).toHaveText([/undone: Dial r|Dial r/, /Dial r/]);
  await changes.getByText('By step').click();
  await expect(changes).not.toContainText('Dial r');
  await changes.getByText('By time').click();
  await changes.getByRole('button', { name: 'Compare with the state after change 1' }).click();
  await expect(recipe(page)).toContainText('20.5');
  await expect(shapes(page)).toContainText('0.5 mm');
  await page.keyboard.press('Escape');
  // and a version is opened as a model of its own
  await page.keyboard.press('Control+s');
  await versions(page).getByRole('button', { name: 'Branch from Before' }).click();
  const [branch] = await Promise.all([context.waitForEvent('page'), page.getByRole('button', { name: 'Open it' }).click()]);
  await branch.waitForURL(/model\//);
  await settled(branch);
  await expect(branch.locator('.brand-model')).toHaveText('Ball, Before');
  await branch.close();
  await noErrors(page, bad);
});

test('two grips of the Tansy body: the dial that differs, and the shapes apart where the grip is widest', async ({ page }) => {
  test.setTimeout(480_000);
  const bad = watch(page);
  await page.goto('/');
  await page.getByText('Tansy body').first().click();
  await page.waitForURL(/model\//);
  await settled(page);
  await keepVersion(page, 'Grip 54');
  await page.keyboard.press('Escape');
  await tab(page, /^Dials/);
  await dial(page, 'grip_width', '58 mm');
  await page.keyboard.press('Control+s');
  await versions(page).getByRole('button', { name: 'Compare with Grip 54' }).click();
  await expect(recipe(page).locator('.ant-table-row')).toHaveCount(1);
  await expect(recipe(page)).toContainText('grip_width');
  await expect(shapes(page)).toContainText('Wall', { timeout: 240_000 });
  // the side moves by 2 mm, the widest of it by a little more where the section is not upright; the volume by what the command line says
  const apart = Number(/(\d\.\d+) mm/.exec((await shapes(page).locator('.ant-table-row').first().textContent()) ?? '')?.[1]);
  expect(apart).toBeGreaterThan(2);
  expect(apart).toBeLessThan(2.6);
  await expect(shapes(page)).toContainText('+2143.5 mm³');
  await shot(page, 'compare-grips');
  await page.keyboard.press('Escape');
  await dial(page, 'grip_width', '54 mm');
  await noErrors(page, bad);
});
