import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  clickAt,
  enterKeeps,
  factsOf,
  noErrors,
  number,
  picked,
  pickFromList,
  segment,
  settled,
  slot,
  stage,
  tool,
} from './helpers.ts';

const line = (id: string, name: string, points: readonly (readonly number[])[]) => ({ id, tool: 'polyline', name, params: { points } });
const wall = (id: string, name: string, of: string, distance = 30) => ({
  id,
  tool: 'extrude',
  version: 2,
  name,
  inputs: { profile: [{ step: of, output: 'main' }] },
  params: { distance },
});
/** Two walls that cross along a line, and one that ends inside the first. */
const steps = [
  line('a', 'Long line', [
    [-40, 0],
    [40, 0],
  ]),
  line('b', 'Cross line', [
    [10, -20],
    [10, 20],
  ]),
  line('s', 'Short line', [
    [-20, -20],
    [-20, -5],
  ]),
  wall('A', 'Long wall', 'a'),
  wall('B', 'Cross wall', 'b'),
  wall('S', 'Short wall', 's'),
];
const areas = async (page: Page) => (await factsOf(page, 'skin')).map((f) => number(f.area)).sort((x, y) => x - y);

test('job h: one is trimmed, both are, and a cutter that is too short is carried on and told', async ({ page }) => {
  const bad = await begin(page, 'Job h', steps);
  const start = [450, 1200, 2400];
  (await areas(page)).forEach((a, i) => {
    expect(a).toBeCloseTo(start[i], 6);
  });
  // one: the long wall by the crossing one, the piece to keep clicked in the view
  await stage(page, 'Joins');
  await tool(page, 'Trim');
  await pickFromList(page, 'Long wall');
  await picked(page, 'target', 1);
  await pickFromList(page, 'Cross wall');
  await picked(page, 'cutters', 1);
  await settled(page);
  await slot(page, 'cutters').press('Enter');
  const dots = await page.evaluate(() => {
    type Mark = { kind: string; at: [number, number, number]; kept: boolean };
    const s = (window as unknown as { ampleState: () => { open: string; steps: Map<string, { marks: Mark[] }> } }).ampleState();
    return s.steps.get(s.open)?.marks.filter((m) => m.kind === 'region') ?? [];
  });
  expect(dots.length).toBe(2);
  // the largest is kept until one is clicked: the small one is taken too, then the large one let go
  const small = dots.find((d) => !d.kept);
  const large = dots.find((d) => d.kept);
  if (!small || !large) throw new Error('no piece goes');
  await clickAt(page, small.at);
  await expect(card(page)).toContainText('2 kept by click');
  await clickAt(page, large.at);
  await expect(card(page)).toContainText('1 kept by click');
  await enterKeeps(page);
  // 30 of 80 long lie on that side
  expect((await areas(page))[1]).toBeCloseTo(900, 4);
  await page.keyboard.press('Control+z');
  await settled(page);

  // both cut each other and become one sheet
  await tool(page, 'Trim');
  await pickFromList(page, 'Long wall');
  await picked(page, 'target', 1);
  await pickFromList(page, 'Cross wall');
  await picked(page, 'cutters', 1);
  await segment(page, 'Both');
  await settled(page);
  await enterKeeps(page);
  const both = await areas(page);
  // both walls went into it: what is left is the short wall and the joined sheet
  expect(both.length).toBe(2);
  expect(both[1]).toBeGreaterThan(1500);
  await page.keyboard.press('Control+z');
  await settled(page);

  // too short: the wall ends 5 before the long one; carried on straight, and told
  await tool(page, 'Trim');
  await pickFromList(page, 'Long wall');
  await picked(page, 'target', 1);
  await pickFromList(page, 'Short wall');
  await picked(page, 'cutters', 1);
  await settled(page);
  await expect(card(page)).toContainText('ended before the skin and was carried on');
  await enterKeeps(page);
  // the larger side: 60 of 80
  expect((await areas(page)).some((a) => Math.abs(a - 1800) < 1e-3)).toBe(true);
  // and refused with a way out when it must not be carried on
  await page.locator('.right .row', { hasText: 'Trim 1' }).first().click();
  await segment(page, 'Stop');
  await settled(page);
  await expect(card(page).locator('.diag.error')).toContainText('does not reach the skin');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await settled(page);
  await noErrors(page, bad);
});
