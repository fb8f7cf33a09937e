import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  choose,
  clickAt,
  enterKeeps,
  factsOf,
  lookFrom,
  noErrors,
  number,
  picked,
  pickFromList,
  screen,
  settled,
  slot,
  stage,
  tool,
  volumeOf,
} from './helpers.ts';

const extrude = (id: string, name: string, of: string, params: object) => ({
  id,
  tool: 'extrude',
  version: 2,
  name,
  inputs: { profile: [{ step: of, output: 'main' }] },
  params,
});
const line = (id: string, name: string, points: readonly (readonly number[])[], closed = false) => ({
  id,
  tool: 'polyline',
  name,
  params: { points, closed },
});
/** Cells offered by the open step, with the places that stand for them. */
const cells = (page: Page) =>
  page.evaluate(() => {
    type Mark = { kind: string; at: [number, number, number]; kept: boolean };
    const s = (window as unknown as { ampleState: () => { open: string; steps: Map<string, { marks: Mark[] }> } }).ampleState();
    return s.steps.get(s.open)?.marks.filter((m) => m.kind === 'region') ?? [];
  });

test('job k: a hole is taken out of a block, then the plug is kept by a click', async ({ page }) => {
  const bad = await begin(page, 'Job k', [
    line(
      'a',
      'Outline',
      [
        [-20, -15],
        [20, -15],
        [20, 15],
        [-20, 15],
      ],
      true,
    ),
    extrude('b', 'Block', 'a', { distance: 10 }),
    { id: 'c', tool: 'circle', name: 'Round', params: { radius: 6 } },
    extrude('d', 'Drill', 'c', { distance: 40, extent: 'symmetric' }),
  ]);
  await lookFrom(page, 30, 40);
  await stage(page, 'Solids');
  await tool(page, 'Combine solids');
  await pickFromList(page, 'Block');
  await picked(page, 'first', 1);
  await pickFromList(page, 'Drill');
  await picked(page, 'second', 1);
  await settled(page);
  await slot(page, 'second').press('Enter');
  const volume = async () => volumeOf((await factsOf(page, 'solid'))[0]);
  const [block, hole, drill] = [40 * 30 * 10, Math.PI * 36 * 10, Math.PI * 36 * 40];
  expect(Math.abs((await volume()) / (block + drill - hole) - 1)).toBeLessThan(1e-6);
  await choose(page, 'Keep', 'Less');
  await settled(page);
  expect(Math.abs((await volume()) / (block - hole) - 1)).toBeLessThan(1e-6);
  await choose(page, 'Keep', 'Shared');
  await settled(page);
  expect(Math.abs((await volume()) / hole - 1)).toBeLessThan(1e-6);
  // the pieces: the block round the hole, the plug, and both ends of the drill
  const list = await cells(page);
  expect(list.length).toBe(4);
  const shown = list.filter((m) => !m.kept);
  expect(shown.length).toBe(3);
  // one end of the drill is clicked in the view: it stays together with the plug
  const top = shown.reduce((x, m) => (m.at[2] > x.at[2] ? m : x));
  await clickAt(page, top.at);
  await settled(page);
  await expect(card(page)).toContainText('2 of 4 kept');
  expect(Math.abs((await volume()) / (Math.PI * 36 * 20) - 1)).toBeLessThan(1e-6);
  await enterKeeps(page);
  await page.keyboard.press('Control+z');
  await settled(page);
  expect((await factsOf(page, 'solid')).length).toBe(2);
  await noErrors(page, bad);
});

test('job k: two walls cut each other, and the pieces follow while one of them is dragged', async ({ page }) => {
  const bad = await begin(page, 'Job k2', [
    line('a', 'Long line', [
      [-40, 0],
      [40, 0],
    ]),
    line('b', 'Cross line', [
      [10, -20],
      [10, 20],
    ]),
    extrude('A', 'Long wall', 'a', { distance: 30 }),
    extrude('B', 'Cross wall', 'b', { distance: 30 }),
    {
      id: 't',
      tool: 'trim',
      name: 'Both',
      inputs: { target: [{ step: 'A', output: 'main' }], cutters: [{ step: 'B', output: 'main' }] },
      params: { mode: 'both' },
    },
  ]);
  await lookFrom(page, 0, 89);
  const area = async () => number((await factsOf(page, 'skin'))[0].area);
  // 50 of 80 along, 20 of 40 across, 30 high
  expect(await area()).toBeCloseTo(50 * 30 + 20 * 30, 3);
  await page.locator('.right .row', { hasText: 'Cross line' }).first().click();
  await settled(page);
  const from = await screen(page, [10, 20, 0]);
  const to = await screen(page, [35, 20, 0]);
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  const seen = new Set<string>();
  for (let k = 1; k <= 40; k++) {
    await page.mouse.move(from.x + ((to.x - from.x) * k) / 40, from.y + ((to.y - from.y) * k) / 40);
    await page.waitForTimeout(60);
    seen.add(String(await area()));
  }
  await page.mouse.up();
  await settled(page);
  // the pieces were cut anew while the hand was moving
  expect(seen.size).toBeGreaterThan(4);
  // the line runs from (10, -20) to the grid point (35, 20): it meets the long one at 22.5, in its own middle
  expect(await area()).toBeCloseTo(62.5 * 30 + (Math.hypot(25, 40) / 2) * 30, 2);
  await noErrors(page, bad);
});
