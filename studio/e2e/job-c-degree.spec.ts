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
  settled,
  stage,
  tab,
  tool,
  type,
  typePoints,
} from './helpers.ts';

/** A control polygon whose legs are 30, 40 and 30: its own length is that of degree 1. */
const LEGS = [
  [0, 0],
  [30, 0],
  [30, 40],
  [60, 40],
] as const;
const lengths = async (page: Page) => (await factsOf(page, 'curve')).map((f) => number(f.length));
/** Length of a Bezier curve by fine chords of de Casteljau's scheme. */
function bezierLength(points: readonly (readonly number[])[]): number {
  const at = (t: number) => {
    let p = points.map((q) => [...q]);
    while (p.length > 1) p = p.slice(1).map((q, i) => q.map((x, k) => p[i][k] * (1 - t) + x * t));
    return p[0];
  };
  let sum = 0;
  const n = 20000;
  for (let i = 0; i < n; i++) {
    const [a, b] = [at(i / n), at((i + 1) / n)];
    sum += Math.hypot(b[0] - a[0], b[1] - a[1]);
  }
  return sum;
}

test('job c: degree 1, 2 and 3 of the same points, refit, comb', async ({ page }) => {
  const bad = await begin(page, 'Job c');
  await tool(page, 'Spline');
  await typePoints(page, LEGS);
  await type(page, 'Degree', '3');
  await enterKeeps(page);
  const cubic = bezierLength(LEGS);
  expect((await lengths(page))[0]).toBeCloseTo(cubic, 2);
  // the same points at other degrees, each a step of its own that keeps the first
  for (const degree of [1, 2]) {
    await page.keyboard.press('Escape');
    await tool(page, 'Refit curve');
    await pickFromList(page, 'Spline 1');
    await picked(page, 'curve', 1);
    await choose(page, 'By', 'Same points');
    await type(page, 'Degree', String(degree));
    await settled(page);
    if (degree === 1) await expect(card(page)).toContainText('100 mm');
    await page.keyboard.press('Escape');
    await expect(card(page)).toHaveCount(0);
    await settled(page);
  }
  // the degree changed on the card itself: 1 is the polygon, 2 lies between
  const row = page.locator('.row', { hasText: 'Spline 1' }).first();
  const at = async (degree: string) => {
    await row.click();
    await type(page, 'Degree', degree);
    await settled(page);
    await page.keyboard.press('Escape');
    return (await lengths(page))[0];
  };
  expect(await at('1')).toBeCloseTo(100, 3);
  const square = await at('2');
  expect(square).toBeGreaterThan(cubic);
  expect(square).toBeLessThan(100);
  expect(await at('3')).toBeCloseTo(cubic, 2);

  // refit to a tolerance: the deviation is told and keeps to it
  await page.keyboard.press('Escape');
  await stage(page, 'Curves');
  await tool(page, 'Refit curve');
  await clickAt(page, [30, 20, 0]);
  await picked(page, 'curve', 1);
  await choose(page, 'By', 'Tolerance');
  await type(page, 'Within', '0.05');
  await type(page, 'Degree', '5');
  await settled(page);
  const deviation = card(page)
    .locator('.factgrid > div', { hasText: /deviation|off|within/i })
    .first();
  expect(number(await deviation.locator('dd').innerText())).toBeLessThanOrEqual(0.05);
  await enterKeeps(page);

  // the comb of the original
  await tab(page, /^Pieces/);
  await page.locator('.pieces .row').first().click();
  await tab(page, 'Comb');
  await expect(page.locator('.combchart svg').first()).toBeVisible();
  await page.locator('.combchart').hover();
  await expect(page.locator('.recharts-tooltip-wrapper')).toBeVisible();
  await noErrors(page, bad);
});
