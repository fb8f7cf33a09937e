import { expect, test } from '@playwright/test';
import { card, clickAt, keep, live, noErrors, screen, settled, stage, statuses, tool, volumeOf, watch } from './helpers.ts';

type Post = { post: (url: string, o: object) => Promise<{ json: () => Promise<{ id: string }> }> };
const make = async (request: Post, name: string, steps: object[] = [], dials: object[] = []): Promise<string> =>
  (await (await request.post('/api/models', { data: { name, recipe: { format: 'ample-skin-recipe', version: 1, name, dials, steps } } })).json()).id;
const lookDown = (page: Parameters<typeof screen>[0]) =>
  page.evaluate(() => {
    const v = (window as unknown as { ampleView: { orbits: { tilt: number; heading: number }[]; invalidate: () => void } }).ampleView;
    v.orbits[0].tilt = 90;
    v.orbits[0].heading = 0;
    v.invalidate();
  });

test('a dimensioned profile: drawn, pinned, driven by a dial; the solid follows', async ({ page, request }) => {
  const bad = watch(page);
  await page.goto(`/model/${await make(request, 'Profile', [], [{ name: 'width', formula: '40 mm', unit: 'length' }])}`);
  await settled(page);
  await lookDown(page);
  await tool(page, 'Sketch');
  for (const p of [
    [-20, -10, 0],
    [20, -10, 0],
    [20, 15, 0],
    [-20, 15, 0],
    [-20, -10, 0],
  ] as const)
    await clickAt(page, p);
  await expect(card(page)).toContainText('4 freedoms left');
  await page.keyboard.press('Escape');
  await clickAt(page, [0, -10, 0]);
  await page.getByRole('toolbar', { name: 'Rules for what is chosen' }).getByRole('button', { name: 'Length' }).click();
  await card(page).getByRole('button', { name: 'Pin everything' }).click();
  await expect(card(page)).toContainText('Nothing is loose');
  // the first distance is the length of the lower line
  const length = card(page)
    .getByLabel(/^Distance \d+$/)
    .first();
  await length.fill('width');
  await length.press('Enter');
  await settled(page);
  await keep(page);
  await stage(page, 'Skins');
  await tool(page, 'Extrude');
  const corner = await screen(page, [0, -10, 0]);
  await page.mouse.click(corner.x, corner.y);
  await expect(card(page).locator('[data-slot="profile"] .pick')).toHaveCount(1);
  await settled(page);
  await keep(page);
  const volume = async () => volumeOf((await live(page)).find((p) => p.kind === 'solid')?.facts ?? {});
  expect(await volume()).toBeCloseTo(40 * 25 * 20, 2);
  // the dial goes from 40 to 50
  await page.getByRole('tab', { name: /^Dials/ }).click();
  await page.getByLabel('width', { exact: true }).fill('50 mm');
  await page.getByLabel('width', { exact: true }).press('Enter');
  await settled(page);
  expect(await volume()).toBeCloseTo(50 * 25 * 20, 2);
  // a contradiction is told in words, and undone
  await page.getByRole('tab', { name: 'Build sheet' }).click();
  await page.locator('.row', { hasText: 'Sketch' }).click();
  await lookDown(page);
  await clickAt(page, [0, 15, 0]);
  await page.getByRole('toolbar', { name: 'Rules for what is chosen' }).getByRole('button', { name: 'Length' }).click();
  const second = card(page)
    .getByLabel(/^Distance \d+$/)
    .last();
  await second.fill('33');
  await second.press('Enter');
  await expect(card(page)).toContainText('contradict each other');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await settled(page);
  expect(await volume()).toBeCloseTo(50 * 25 * 20, 2);
  await page.reload();
  await settled(page);
  expect(await volume()).toBeCloseTo(50 * 25 * 20, 2);
  await noErrors(page, bad);
});

test('a badge on a tangent plane, projected on the near side; the parting line; the comb', async ({ page, request }) => {
  const bad = watch(page);
  const id = await make(request, 'Badge', [
    { id: 'c', tool: 'circle', name: 'Ring', params: { radius: 20 } },
    { id: 'e', tool: 'extrude', name: 'Tube', inputs: { profile: [{ step: 'c', output: 'main' }] }, params: { distance: 60, cap: false } },
  ]);
  await page.goto(`/model/${id}`);
  await settled(page);
  await stage(page, 'References');
  await tool(page, 'Work plane');
  await card(page).getByLabel('Given by').selectOption('tangent');
  await card(page).locator('[data-slot="face"]').click();
  await clickAt(page, [20 * Math.sin(0.56), -20 * Math.cos(0.56), 30]);
  await expect(card(page).locator('[data-slot="face"] .pick')).toHaveCount(1);
  await settled(page);
  await keep(page);
  await page.keyboard.press('p');
  await stage(page, 'Curves');
  await tool(page, 'Rectangle');
  await card(page).getByRole('radio', { name: 'Middle' }).click();
  await page.getByLabel('x of the next point').fill('0');
  await page.getByLabel('y of the next point').fill('0');
  await page.getByLabel('y of the next point').press('Enter');
  for (const [label, value] of [
    ['Width', '14'],
    ['Height', '20'],
    ['Corner radius', '3'],
  ]) {
    await card(page).getByLabel(label, { exact: true }).fill(value);
    await card(page).getByLabel(label, { exact: true }).press('Enter');
  }
  await settled(page);
  await keep(page);
  await tool(page, 'Project');
  const pieces = () => page.getByRole('tab', { name: /^Pieces/ }).click();
  const row = (text: string) => page.locator('.right .row', { hasText: text }).first().click();
  // picked in the view: first the curve on the plane, then the skin
  const side = [Math.sin(0.56), -Math.cos(0.56)];
  await clickAt(page, [20 * side[0], 20 * side[1], 40]);
  await expect(card(page).locator('[data-slot="curves"] .pick')).toHaveCount(1);
  await card(page).locator('[data-slot="onto"]').click();
  await clickAt(page, [20 * Math.sin(0.1), -20 * Math.cos(0.1), 12]);
  await expect(card(page).locator('[data-slot="onto"] .pick')).toHaveCount(1);
  await settled(page);
  await expect(card(page)).toContainText('on the skin within');
  await keep(page);
  expect(Object.values(await statuses(page)).every((s) => s === 'fine')).toBe(true);

  await tool(page, 'Outline');
  await clickAt(page, [20 * Math.sin(0.1), -20 * Math.cos(0.1), 12]);
  await card(page).getByRole('radio', { name: 'x', exact: true }).click();
  await settled(page);
  await expect(card(page)).toContainText('control points');
  await keep(page);

  await pieces();
  await row('Ring');
  await page.getByRole('tab', { name: 'Comb' }).click();
  await expect(page.locator('.combpanel')).toContainText('20 mm');
  await expect(page.locator('.combchart svg').first()).toBeVisible();
  await page.locator('.combchart').hover();
  await expect(page.locator('.recharts-tooltip-wrapper')).toContainText('0.05');
  await noErrors(page, bad);
});
