import { readFileSync } from 'node:fs';
import { expect, type Page, test } from '@playwright/test';
import { readDxf, readSvg } from '../../core/exchange/index.ts';
import {
  begin,
  card,
  choose,
  keep,
  lookAs,
  mapped,
  noErrors,
  pickFromList,
  recipeStep,
  screen,
  segment,
  settled,
  sheetRow,
  shot,
  slot,
  stage,
  tool,
  watch,
} from './helpers.ts';

const under = (page: Page) => page.getByTestId('map-value');

test('maps: values under the pointer, ends by hand, a distance to another piece, looks of single pieces', async ({ page }) => {
  const bad = await begin(page, 'Maps', [
    { ...recipeStep('b', 'primitive', { shape: 'ball', radius: 20, solid: true }), name: 'Ball' },
    { ...recipeStep('s', 'primitive', { shape: 'box', width: 60, depth: 60, height: 60, middle: true, solid: true }), name: 'Hull' },
  ]);
  await settled(page);
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  await page.getByRole('button', { name: 'Hide Hull' }).click();
  await lookAs(page, 'Map');
  await mapped(page);
  const legend = page.getByTestId('map-legend');
  await expect(legend).toContainText('Mean curvature');
  const middle = await screen(page, [0, 0, 0]);
  const area = (await page.getByTestId('view').boundingBox()) as { x: number; y: number };
  await page.mouse.move(middle.x, middle.y);
  await page.mouse.move(middle.x + 3, middle.y + 2);
  await expect(under(page)).toHaveText('-0.05');
  await page.getByLabel('What is mapped').click();
  await page.locator('.ant-select-item-option').filter({ hasText: 'Smallest radius' }).click();
  await mapped(page);
  await page.mouse.move(middle.x, middle.y);
  await page.mouse.move(middle.x + 3, middle.y + 2);
  await expect(under(page)).toHaveText('20');
  await page.getByLabel('What is mapped').click();
  await page.locator('.ant-select-item-option').filter({ hasText: 'Distance' }).click();
  await expect(legend).toContainText('Choose the piece');
  await page.getByLabel('Distance to').click();
  await page.locator('.ant-select-item-option').filter({ hasText: 'Hull' }).click();
  await mapped(page);
  await page.mouse.move(middle.x, middle.y);
  await page.mouse.move(middle.x + 3, middle.y + 2);
  const seen = await page.evaluate(
    ([x, y]) =>
      (window as unknown as { ampleView: { mapAt: (x: number, y: number) => { value: number; at: number[] } } }).ampleView.mapAt(x, y),
    [middle.x + 3 - area.x, middle.y + 2 - area.y] as const,
  );
  // inside the hull, by the nearest of its sides; within half a percent of the range
  const side = Math.min(...seen.at.flatMap((c) => [c + 30, 30 - c]));
  expect(Math.abs(seen.value + side)).toBeLessThan(0.005 * 20);
  expect(Number(await under(page).innerText())).toBeCloseTo(seen.value, 1);
  await page.getByLabel('Upper end of the colours').fill('0');
  await page.getByLabel('Upper end of the colours').press('Enter');
  await page.getByLabel('Lower end of the colours').fill('-12');
  await page.getByLabel('Lower end of the colours').press('Enter');
  await expect(legend.locator('.mapends')).toContainText('-12');
  await shot(page, 'map-distance');
  // it is part of the model: there again after a reload
  await page.reload();
  await settled(page);
  await mapped(page);
  await expect(legend.locator('.mapends')).toContainText('-12');
  // every look draws without a complaint; a piece may have its own
  for (const name of ['Light bars', 'Gloss', 'Wire', 'See-through', 'Outlines', 'Clay', 'In/out']) {
    await lookAs(page, name);
    await page.keyboard.press('Escape');
  }
  await expect(legend).toHaveCount(0);
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  await page.locator('.pieces').getByRole('group', { name: 'Ball', exact: true }).click();
  await page.getByLabel('Look of the piece').click();
  await page.locator('.ant-select-item-option').filter({ hasText: /^Map$/ }).click();
  await mapped(page);
  await expect(legend).toBeVisible();
  await noErrors(page, bad);
});

test('the packaging buck: 24 sections of the body on sheets of cardboard, as SVG and DXF', async ({ page }) => {
  test.setTimeout(480_000);
  const bad = watch(page);
  await page.goto('/');
  await page.getByText('Packaging buck', { exact: true }).first().click();
  await page.waitForURL(/model\//);
  await settled(page);
  await sheetRow(page, 'Cardboard sheets').click();
  const fact = (label: string) => card(page).locator('dl div').filter({ hasText: label }).locator('dd').first();
  await expect(fact('parts')).toHaveText('24');
  const sheets = Number((await fact('sheets').innerText()).replace(/,.*/, ''));
  expect(Number((await fact('laid together').innerText()).match(/([\d.]+) % off/)?.[1])).toBeLessThan(2);
  await expect(page.getByTestId('pages').locator('img')).toHaveCount(sheets);
  await shot(page, 'buck');
  await page.getByTestId('pages').locator('img').first().click();
  await expect(page.locator('.ant-image-preview-img')).toBeVisible();
  await shot(page, 'buck-sheet');
  await page.keyboard.press('Escape');
  await expect(page.locator('.ant-image-preview-img')).toBeHidden();
  for (const [label, read] of [
    ['SVG', readSvg],
    ['DXF', readDxf],
  ] as const) {
    await segment(page, label);
    await settled(page);
    const [one] = await Promise.all([page.waitForEvent('download'), card(page).getByRole('button', { name: 'Write file' }).click()]);
    const data = readFileSync(await one.path());
    if (sheets > 1) expect(one.suggestedFilename()).toBe('Packaging buck.zip');
    else {
      const back = read(data.toString());
      expect(back.ok && back.chains.length).toBeGreaterThan(24);
    }
  }
  await noErrors(page, bad);
});

test('a drawing of the spout in three views with its sizes, as PDF; too small a sheet is refused with words', async ({ page }) => {
  test.setTimeout(480_000);
  const bad = watch(page);
  await page.goto('/');
  await page.getByText('Tansy spout', { exact: true }).first().click();
  await page.waitForURL(/model\//);
  await settled(page);
  // a measure that is kept comes onto the sheet by itself
  await stage(page, 'Proof');
  await tool(page, 'Measure');
  await slot(page, 'things').click();
  await pickFromList(page, 'Wall');
  await choose(page, 'In the view', 'Volume');
  await settled(page);
  await keep(page);
  await stage(page, 'Output');
  await tool(page, 'Line drawing');
  await slot(page, 'pieces').click();
  await pickFromList(page, 'Wall');
  await settled(page);
  await expect(card(page)).toContainText('lines seen');
  await expect(page.getByTestId('pages').locator('img')).toHaveCount(1);
  const svg = decodeURIComponent((await page.getByTestId('pages').locator('img').getAttribute('src')) ?? '');
  for (const layer of ['visible', 'hidden', 'smooth', 'dimensions']) expect(svg).toContain(`<g id="${layer}"`);
  expect(svg).toContain('>56.29<');
  expect(svg).toMatch(/>(Measure \d: )?volume \d+(\.\d+)? mm³</);
  await segment(page, 'A4');
  await choose(page, 'Scale', '10:1');
  await settled(page);
  await expect(card(page).getByRole('alert')).toContainText('the sheet has room for');
  await choose(page, 'Scale', 'To fit');
  await settled(page);
  await keep(page);
  await sheetRow(page, 'Line drawing 1').click();
  const [one] = await Promise.all([page.waitForEvent('download'), card(page).getByRole('button', { name: 'Write file' }).click()]);
  expect(one.suggestedFilename()).toMatch(/drawing\.pdf$/);
  const text = readFileSync(await one.path()).toString('latin1');
  expect(text.startsWith('%PDF-')).toBe(true);
  await shot(page, 'drawing-sheet');
  await noErrors(page, bad);
});
