import { expect, type Page, test } from '@playwright/test';
import {
  begin,
  card,
  choose,
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
  statuses,
  tab,
  tool,
} from './helpers.ts';

const R = 20;
const H = 60;
const steps = [
  { id: 'c', tool: 'circle', name: 'Ring', params: { radius: R } },
  { id: 'e', tool: 'extrude', name: 'Tube', inputs: { profile: [{ step: 'c', output: 'main' }] }, params: { distance: H, cap: false } },
  { id: 'f', tool: 'work-plane', version: 2, name: 'Before', params: { base: 'xz', offset: [0, 30, 30] } },
  { id: 'd', tool: 'circle', name: 'Badge', inputs: { plane: [{ step: 'f', output: 'main' }] }, params: { radius: 6 } },
  { id: 't', tool: 'work-plane', version: 2, name: 'Touching', params: { base: 'xz', offset: [0, R, 30] } },
  { id: 'w', tool: 'circle', name: 'Label', inputs: { plane: [{ step: 't', output: 'main' }] }, params: { radius: 4 } },
  { id: 'k', tool: 'work-plane', version: 2, name: 'Level', params: { offset: [0, 0, 45] } },
];
const lengths = async (page: Page) => (await factsOf(page, 'curve')).map((f) => number(f.length));
const areas = async (page: Page) => (await factsOf(page, 'skin')).map((f) => number(f.area)).sort((a, b) => a - b);

/** Length of a circle of radius r seen along y on a cylinder of radius R: by fine chords. */
function seenOnTube(r: number): number {
  const at = (t: number) => [r * Math.cos(t), -Math.sqrt(R * R - (r * Math.cos(t)) ** 2), r * Math.sin(t)];
  let sum = 0;
  for (let i = 0; i < 20000; i++) {
    const [a, b] = [at((2 * Math.PI * i) / 20000), at((2 * Math.PI * (i + 1)) / 20000)];
    sum += Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
  }
  return sum;
}

test('job g: projected, wrapped, intersected, outlined, and split by the outline', async ({ page }) => {
  const bad = await begin(page, 'Job g', steps);
  await stage(page, 'Curves');
  await tool(page, 'Project');
  await pickFromList(page, 'Badge');
  await picked(page, 'curves', 1);
  await slot(page, 'onto').click();
  await clickAt(page, [3, -Math.sqrt(R * R - 9), 10]);
  await picked(page, 'onto', 1);
  await settled(page);
  await expect(card(page)).toContainText('on the skin within');
  await enterKeeps(page);
  // seen from the front on a cylinder
  expect((await lengths(page)).some((l) => Math.abs(l - seenOnTube(6)) < 2e-3)).toBe(true);

  await tool(page, 'Wrap');
  await pickFromList(page, 'Label');
  await picked(page, 'curves', 1);
  await slot(page, 'face').click();
  await clickAt(page, [3, -Math.sqrt(R * R - 9), 10]);
  await picked(page, 'face', 1);
  await enterKeeps(page);
  // wrapping keeps lengths: a cylinder unrolls
  const round = (await lengths(page)).filter((l) => Math.abs(l - 8 * Math.PI) < 1e-3);
  expect(round.length).toBe(2);

  await tool(page, 'Intersection');
  await clickAt(page, [3, -Math.sqrt(R * R - 9), 10]);
  await picked(page, 'skin', 1);
  await pickFromList(page, 'Level');
  await picked(page, 'with', 1);
  await enterKeeps(page);
  expect((await lengths(page)).filter((l) => Math.abs(l - 2 * Math.PI * R) < 1e-3).length).toBeGreaterThan(1);

  // the outline along x is two straight lines, one of them maybe on the tube's own seam; it splits the tube in halves
  await tool(page, 'Outline');
  await clickAt(page, [3, -Math.sqrt(R * R - 9), 10]);
  await picked(page, 'skin', 1);
  await segment(page, 'y');
  await card(page).getByRole('switch', { name: 'Rims too' }).click();
  await enterKeeps(page);
  expect((await lengths(page)).filter((l) => Math.abs(l - H) < 1e-3).length).toBe(2);
  await stage(page, 'Joins');
  await tool(page, 'Trim');
  await clickAt(page, [3, -Math.sqrt(R * R - 9), 10]);
  await picked(page, 'target', 1);
  await tab(page, /^Pieces/);
  const outlines = page.locator('.pieces .row', { hasText: /^Outline/ });
  await expect(outlines).toHaveCount(2);
  await outlines.first().click();
  await outlines.last().click();
  await tab(page, 'Build sheet');
  await picked(page, 'cutters', 2);
  await segment(page, 'Split only');
  await choose(page, 'Curves cut along', 'Normals');
  await enterKeeps(page);
  const halves = await areas(page);
  expect(halves.length).toBe(2);
  for (const a of halves) expect(a).toBeCloseTo(Math.PI * R * H, 1);
  expect(Object.values(await statuses(page)).every((s) => s === 'fine')).toBe(true);
  await noErrors(page, bad);
});
