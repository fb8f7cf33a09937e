import { readFileSync } from 'node:fs';
import { expect, type Page, test } from '@playwright/test';
import { begin, field, lookFrom, noErrors, number, screen, settled, sheetRow, shot, recipeStep as step, tab } from './helpers.ts';

interface Look {
  readonly ampleState: () => {
    readonly cuts: ReadonlyMap<string, readonly { readonly area: number; readonly length: number; readonly combs: readonly unknown[] }[]>;
    readonly model: { readonly sections?: readonly { readonly id: string; readonly origin: readonly number[] }[] };
    readonly lit?: { readonly piece: string };
    readonly dragged?: { readonly origin: readonly number[] };
  };
}
const cutsNow = (page: Page) =>
  page.evaluate(() => [...(window as unknown as Look).ampleState().cuts.values()].map((l) => l.map((v) => [v.area, v.length])));
const placeOf = (page: Page) =>
  page.evaluate(() => {
    const s = (window as unknown as Look).ampleState();
    return s.dragged?.origin ?? s.model.sections?.[0].origin ?? [];
  });
const panel = (page: Page) => page.getByRole('button', { name: /^Section (none|\d)/ }).click();
const place = async (page: Page, at: string) => {
  const f = field(page.locator('.sectionpanel'), 'Place of section 1');
  await f.fill(at);
  await f.press('Enter');
};
/** Area that the panel says. */
const said = async (page: Page) => number((await page.locator('.sectionrow .soft').innerText()).replace(/ mm².*$/, ''));

test('a section through a ball: its disc by the closed form, moved by its arrow, kept as curves', async ({ page }) => {
  const bad = await begin(page, 'section', [step('b', 'primitive', { shape: 'ball', radius: 20, solid: true })]);
  await panel(page);
  await page.getByRole('button', { name: 'Level (z)' }).click();
  await expect.poll(() => cutsNow(page)).toHaveLength(1);
  const disc = async (d: number) => {
    const r = Math.sqrt(400 - d * d);
    await expect.poll(async () => Math.abs((await cutsNow(page))[0]?.[0]?.[1] - 2 * Math.PI * r)).toBeLessThan(1e-3);
    expect(Math.abs((await cutsNow(page))[0][0][0] / (Math.PI * r * r) - 1)).toBeLessThan(1e-5);
    return r;
  };
  const middle = (await placeOf(page))[2];
  await disc(middle);
  await place(page, '12');
  const r = await disc(12);
  await expect.poll(async () => Math.abs((await said(page)) / (Math.PI * r * r) - 1)).toBeLessThan(1e-3);
  // the comb's tightest radius is the circle's
  await page.getByRole('checkbox', { name: 'Comb' }).check();
  await expect(page.locator('.sectionrow .soft')).toContainText('radius 16 mm');
  await page.keyboard.press('Escape');
  await page.mouse.click(5, 300);
  // its arrow stands in the view: taken by the hand, the section goes along its normal
  await lookFrom(page, 30, 20);
  const at = await screen(page, [0, 0, 12]);
  await page.mouse.move(at.x, at.y - 40);
  await page.mouse.down();
  await page.mouse.move(at.x, at.y - 60, { steps: 5 });
  await expect.poll(async () => (await placeOf(page))[2]).toBeGreaterThan(13);
  await page.mouse.up();
  await settled(page);
  const moved = (await placeOf(page))[2];
  await disc(moved);
  // undone and kept: a work plane and a curve are in the build sheet, the curve has the circle's length
  await page.keyboard.press('Control+z');
  await disc(12);
  await panel(page);
  await page.getByRole('button', { name: 'Keep as curves' }).click();
  await settled(page);
  await expect(sheetRow(page, 'Section plane')).toBeVisible();
  await expect(sheetRow(page, 'Section')).toBeVisible();
  const curve = await page.evaluate(() =>
    [
      ...(window as unknown as { ampleState: () => { pieces: Map<string, { kind: string; facts: { label: string; value: string }[] }> } })
        .ampleState()
        .pieces.values(),
    ]
      .filter((p) => p.kind === 'curve')
      .map((p) => p.facts.find((f) => f.label === 'length')?.value),
  );
  expect(curve).toHaveLength(1);
  expect(Math.abs(number(curve[0]) - 2 * Math.PI * 16)).toBeLessThan(2e-3);
  // a section outside meets nothing, and says so; taken away, the view is whole again
  await place(page, '55');
  await expect(page.locator('.sectionrow')).toContainText('Meets nothing');
  await page.getByRole('button', { name: 'Remove section 1' }).click();
  await expect(page.locator('.sectionrow')).toHaveCount(0);
  await noErrors(page, bad);
});

test('the shroud from seam to map to section to measure, each by its number', async ({ page }) => {
  test.setTimeout(480_000);
  // a copy: what is looked at stays with the model
  const shroud = JSON.parse(readFileSync(new URL('../../demo/recipes/tansy-shroud.json', import.meta.url), 'utf8'));
  const bad = await begin(page, 'walk', shroud.steps, shroud.dials);
  await settled(page);
  // the seam that is worst by its step: its row lights it in the view
  const rows = page.locator('.desk .ant-table-row');
  await expect(rows.first()).toBeVisible();
  await rows.first().click();
  await expect.poll(() => page.evaluate(() => (window as unknown as Look).ampleState().lit?.piece)).toBe('w-shroud/main');
  // in the colours of its draft, with the undercuts of the wall
  await page.locator('.viewbar button').first().click();
  await page.locator('.lookgrid').getByText('Map', { exact: true }).click();
  await page.getByLabel('What is mapped').click();
  await page.locator('.ant-select-item-option').filter({ hasText: 'Draft' }).click();
  await expect(page.getByTestId('map-legend')).toContainText('Draft', { timeout: 60_000 });
  await expect(page.getByTestId('map-legend')).toContainText('°');
  await page.locator('.lookgrid').getByText('In/out', { exact: true }).click();
  await page.keyboard.press('Escape');
  await page.mouse.click(5, 300);
  await panel(page);
  await page.getByRole('button', { name: 'Depth (y)' }).click();
  await expect.poll(() => cutsNow(page), { timeout: 60_000 }).toHaveLength(1);
  // its middle plane runs along the seam of its halves: the whole section is there, as it is half a millimetre beside
  const area = async () => (await cutsNow(page))[0].reduce((s, c) => s + c[0], 0);
  expect((await placeOf(page))[1]).toBe(0);
  const middle = await area();
  expect(middle).toBeGreaterThan(100);
  await place(page, '0.5');
  await expect.poll(async () => Math.abs((await area()) - middle)).toBeGreaterThan(0);
  expect(Math.abs((await area()) / middle - 1)).toBeLessThan(0.005);
  await page.getByRole('button', { name: 'Level (z)' }).click();
  await expect.poll(() => cutsNow(page), { timeout: 60_000 }).toHaveLength(2);
  await settled(page);
  await page.reload();
  await settled(page);
  await expect.poll(() => cutsNow(page), { timeout: 60_000 }).toHaveLength(2);
  // the second in hand: caps are computed anew while the button is still held
  await panel(page);
  await page.getByRole('radio', { name: 'Section 2' }).click();
  await expect(field(page.locator('.sectionpanel'), 'Place of section 2')).toBeVisible();
  await page.keyboard.press('Escape');
  await page.mouse.click(5, 300);
  const o = await page.evaluate(() => (window as unknown as Look).ampleState().model.sections?.[1].origin ?? []);
  const at = await screen(page, [o[0], o[1], o[2]]);
  const before = (await cutsNow(page))[1].map((c) => c[0]);
  await page.mouse.move(at.x, at.y - 40);
  await page.mouse.down();
  for (let k = 1; k <= 12; k++) await page.mouse.move(at.x, at.y - 40 - 2 * k);
  await expect.poll(async () => JSON.stringify((await cutsNow(page))[1].map((c) => c[0]))).not.toBe(JSON.stringify(before));
  await page.mouse.up();
  await settled(page);
  // the wall's volume is kept in the view: the number of the piece itself
  await tab(page, /^Pieces/);
  await page.locator('.pieces').getByText('Wall', { exact: true }).click();
  await tab(page, /Facts/);
  await page.getByRole('button', { name: 'Keep in the view' }).click();
  await settled(page);
  await expect(page.locator('.labels .badge.measure')).toContainText('mm²');
  await shot(page, 'walk');
  await noErrors(page, bad);
});
