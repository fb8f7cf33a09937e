import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  clickAt,
  lookFrom,
  noErrors,
  picked,
  settled,
  sheetRow,
  shot,
  slot,
  stage,
  statuses,
  recipeStep as step,
  tool,
  watch,
} from './helpers.ts';

interface Look {
  readonly ampleView: { orbitOf: (pane: number) => { heading: number } };
}
const rows = (page: Page) => page.getByRole('region', { name: 'Methods tried' }).locator('.ant-table-row');
const heads = (page: Page) => page.locator('.trialhead');

test('the cheek opening of the shroud is filled by three methods side by side; one is kept, the others stay muted', async ({ page }) => {
  test.setTimeout(480_000);
  const bad = watch(page);
  await page.goto('/');
  await page.getByText('Tansy shroud').first().click();
  await page.waitForURL(/model\//);
  await settled(page);
  // the patch that fills the cheek now: its card offers the others
  await sheetRow(page, 'Cheek').click();
  await card(page).getByRole('button', { name: 'Try-off' }).click();
  await expect(page.locator('.trialbar')).toContainText(/\d+ methods(?! tried)/, { timeout: 60_000 });
  await expect(page.locator('.trialbar')).toContainText('an opening of 4 sides');
  await expect(heads(page)).toHaveCount(3);
  await expect(heads(page).nth(0)).toContainText('Patch, G2');
  await shot(page, 'try1');
  // numbers are there for each method, and what could not be built says why
  const row = (name: string) => rows(page).filter({ hasText: name });
  await expect(row('Patch, G2')).toContainText('G2');
  await expect(row('Blend one way')).toContainText('2 of 4 open');
  await expect(row('Flat skin')).toContainText('mm out of one plane');
  // the views are linked: a turn in one pane turns all; stripes show them alike
  const heading = () => page.evaluate(() => (window as unknown as Look).ampleView.orbitOf(2).heading);
  const before = await heading();
  const view = await page.getByTestId('view').boundingBox();
  if (!view) throw new Error('no view');
  await page.mouse.move(view.x + view.width * 0.5, view.y + view.height * 0.5);
  await page.mouse.down();
  await page.mouse.move(view.x + view.width * 0.5 + 60, view.y + view.height * 0.5, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => Math.abs((await heading()) - before)).toBeGreaterThan(1);
  await page.keyboard.press('l');
  await row('Patch, G1').getByRole('checkbox').check();
  await expect(heads(page)).toHaveCount(4);
  await shot(page, 'try2');
  await row('Patch, G1').getByRole('checkbox').uncheck();
  // away with it: the sheet is as it was
  await page.keyboard.press('Escape');
  await expect(page.locator('.trialbar')).toHaveCount(0);
  await expect(sheetRow(page, 'Cheek')).toBeVisible();
  expect(await statuses(page)).toMatchObject({ 'f-cheek': 'fine', 'w-shroud': 'fine' });
  // again, and the woven one is kept: it takes the place of the patch, and what hangs on it follows
  await sheetRow(page, 'Cheek').click();
  await card(page).getByRole('button', { name: 'Try-off' }).click();
  await expect(page.locator('.trialbar')).toContainText(/\d+ methods(?! tried)/, { timeout: 60_000 });
  await page.getByRole('button', { name: 'Keep Woven over its borders, G2', exact: true }).click();
  await settled(page);
  await expect(page.locator('.trialbar')).toHaveCount(0);
  const sheet = page.locator('.sheetrow, [role="group"][aria-label^="Step "]');
  await expect(sheet.filter({ hasText: 'Woven over its borders, G2' })).toHaveCount(1);
  await expect(sheetRow(page, 'Patch, G2 (variant)')).toContainText('muted');
  await expect(sheetRow(page, 'Four-sided faces, G2 (variant)')).toContainText('muted');
  expect(await statuses(page)).toMatchObject({ 'f-cheek': 'fine', 'k-half': 'fine', 'w-shroud': 'fine' });
  await expect(page.getByTestId('watertight')).toContainText('Watertight solid');
  await shot(page, 'try3');
  await page.keyboard.press('Control+z');
  await settled(page);
  await expect(sheetRow(page, 'Cheek')).toBeVisible();
  await noErrors(page, bad);
});

test('two borders are bridged by several methods; a step in the making is not lost; what cannot be tried says so', async ({ page }) => {
  test.setTimeout(480_000);
  const sheet = (id: string, y: number, z: number) => [
    step(`p${id}`, 'work-plane', { offset: [0, 0, z] }),
    {
      ...step(`c${id}`, 'polyline', {
        points: [
          [0, y],
          [60, y],
          [60, y + 30],
          [0, y + 30],
        ],
        closed: true,
      }),
      inputs: { plane: [{ step: `p${id}`, output: 'main' }] },
    },
    { ...step(id, 'flat-skin', {}, { loops: [`c${id}`] }), name: `Sheet ${id}` },
  ];
  const bad = await begin(page, 'Bridges', [...sheet('a', 0, 0), ...sheet('b', 50, 20)]);
  await lookFrom(page, 30, 40);
  await stage(page, 'Joins');
  await tool(page, 'Blend');
  await clickAt(page, [30, 30, 0]);
  await picked(page, 'first', 1);
  // with one border there is nothing to bridge yet: it is said, and the step in the making is still there
  await card(page).getByRole('button', { name: 'Try-off' }).click();
  await expect(page.locator('.notice, .ant-message, .ant-notification').filter({ hasText: 'Pick' }).first()).toBeVisible();
  await expect(page.locator('.trialbar')).toHaveCount(0);
  await picked(page, 'first', 1);
  await slot(page, 'second').click();
  await clickAt(page, [30, 50, 20]);
  await picked(page, 'second', 1);
  await settled(page);
  await card(page).getByRole('button', { name: 'Try-off' }).click();
  await expect(page.locator('.trialbar')).toContainText('two borders, 6 methods', { timeout: 60_000 });
  await expect(rows(page).filter({ hasText: 'Ruled' })).toContainText('45');
  await shot(page, 'try4');
  await page.keyboard.press('Escape');
  await picked(page, 'second', 1);
  await card(page).getByRole('button', { name: 'Try-off' }).click();
  await expect(page.locator('.trialbar')).toContainText('two borders, 6 methods', { timeout: 60_000 });
  await page.getByRole('button', { name: 'Keep Blend, G2', exact: true }).click();
  await settled(page);
  await expect(sheetRow(page, 'Blend, G2')).toBeVisible();
  await expect(sheetRow(page, 'Blend, G1 (variant)')).toContainText('muted');
  expect(Object.values(await statuses(page)).filter((x) => x === 'muted')).toHaveLength(2);
  await noErrors(page, bad);
});
