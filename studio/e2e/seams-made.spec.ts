import { expect, test } from '@playwright/test';
import {
  begin,
  card,
  choose,
  clickAt,
  keep,
  lookFrom,
  noErrors,
  picked,
  pickFromList,
  segment,
  settled,
  slot,
  stage,
  recipeStep as step,
  toggle,
  tool,
  type,
} from './helpers.ts';

const fact = (page: Parameters<typeof card>[0], label: string) =>
  card(page)
    .locator('.factgrid > div')
    .filter({ has: page.locator('dt', { hasText: new RegExp(`^${label}$`) }) });

test('two tubes get a neck: edges picked in the view, reach typed, seams told, knitted', async ({ page }) => {
  test.setTimeout(480_000);
  const bad = await begin(page, 'Neck', [
    step('c', 'circle', { radius: 20 }),
    step('a', 'extrude', { distance: 30, cap: false }, { profile: ['c'] }),
    step('q', 'work-plane', { offset: [6, 0, 70], turns: [0, 12, 35] }),
    step('d', 'circle', { radius: 12 }, { plane: ['q'] }),
    step('b', 'extrude', { distance: 25, cap: false }, { profile: ['d'] }),
  ]);
  await stage(page, 'Joins');
  await tool(page, 'Blend');
  await lookFrom(page, 0.4, 0.45);
  // the upper rim of the lower tube, towards the eye
  await clickAt(page, [20 * Math.sin(0.4), -20 * Math.cos(0.4), 30]);
  await picked(page, 'first', 1);
  if (process.env.SHOTS) await page.screenshot({ path: `${process.env.SHOTS}/blend1.png` });
  await clickAt(page, rim(-70));
  await picked(page, 'second', 1);
  await settled(page);
  await expect(fact(page, 'first')).toContainText('G2 reached');
  await expect(fact(page, 'second')).toContainText('G2 reached');
  if (process.env.SHOTS) await page.screenshot({ path: `${process.env.SHOTS}/blend2.png` });
  await type(page, 'First reach', '1.6');
  await settled(page);
  await expect(fact(page, 'first')).toContainText('G2 reached');
  await keep(page);
  await stage(page, 'Joins');
  await tool(page, 'Knit');
  await pickFromList(page, 'Blend 1');
  for (const p of [
    [20 * Math.sin(0.4), -20 * Math.cos(0.4), 12],
    [14, -10, 84],
  ] as const)
    await clickAt(page, p);
  await picked(page, 'skins', 3);
  await settled(page);
  await keep(page);
  // each skin closes on itself, two seams between them (one parted where the other skin closes), two rims
  await expect(page.getByRole('tab', { name: /^Seams/ })).toContainText('6');
  await expect(page.getByRole('tab', { name: /^Rims/ })).toContainText('2');
  // a row shows its numbers along the seam, linked with the view, and all rows can be copied as a table
  await page.getByText('Blend 1 blend · Extrude').first().click();
  const chart = page.getByRole('img', { name: /along seam \d/ });
  await expect(chart).toBeVisible();
  await chart.hover({ position: { x: 200, y: 50 } });
  await expect
    .poll(() => page.evaluate(() => !!(window as unknown as { ampleState: () => { combAt?: unknown } }).ampleState().combAt))
    .toBe(true);
  if (process.env.SHOTS) await page.screenshot({ path: `${process.env.SHOTS}/blend3.png` });
  await page.context().grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.getByRole('button', { name: 'Copy all seams as CSV' }).click();
  await expect(page.getByText('6 seams copied as a table')).toBeVisible();
  const table = await page.evaluate(() => navigator.clipboard.readText());
  expect(table.split('\n').length).toBe(8);
  expect(table).toContain('Blend 1 blend');
  await page.getByRole('button', { name: 'Close the chart' }).click();
  await expect(chart).toHaveCount(0);
  await noErrors(page, bad);
});
/** A place on the lower rim of the tilted tube. */
function rim(degrees: number): readonly [number, number, number] {
  const a = (degrees * Math.PI) / 180;
  // turns about x, then y, then z: 0, 12, 35 degrees
  const [ty, tz] = [(12 * Math.PI) / 180, (35 * Math.PI) / 180];
  const [x, y] = [12 * Math.cos(a), 12 * Math.sin(a)];
  const [x1, z1] = [x * Math.cos(ty), -x * Math.sin(ty)];
  return [6 + x1 * Math.cos(tz) - y * Math.sin(tz), x1 * Math.sin(tz) + y * Math.cos(tz), 70 + z1];
}

test('a skin is brought to another with G2 and half way, a ball gets its cap back', async ({ page }) => {
  test.setTimeout(480_000);
  const bow = (id: string, y: number, dz: number, dx = 0) =>
    step(id, 'spline-through', {
      flat: false,
      points: [
        [-30 + dx, y, dz],
        [-10 + dx, y, 4 + dz],
        [12 + dx, y, 3 + dz],
        [30 + dx, y, dz - 2],
      ],
    });
  const bad = await begin(page, 'Match and patch', [
    bow('a0', -40, 0),
    bow('a1', -20, 2, 1),
    bow('a2', 0, 1),
    step('a', 'loft', { degree: 2 }, { sections: ['a0', 'a1', 'a2'] }),
    bow('b0', 6, 2, 1),
    bow('b1', 30, 3),
    bow('b2', 50, -1),
    step('b', 'loft', { degree: 2 }, { sections: ['b0', 'b1', 'b2'] }),
    step('w', 'work-plane', { offset: [75, 0, 0] }),
    step('z', 'primitive', { shape: 'ball', radius: 10 }, { plane: ['w'] }),
    step('o', 'copy-faces', {}, { faces: ['z'] }),
    step('q', 'work-plane', { offset: [75, 0, 6], turns: [8, 5, 0] }),
    step('e', 'trim', { keep: 'behind' }, { target: ['o'], cutters: ['q'] }),
  ]);
  await stage(page, 'Joins');
  await lookFrom(page, 20, 55);
  await tool(page, 'Match edge');
  await clickAt(page, [12, 0, 4]);
  await picked(page, 'edge', 1);
  await clickAt(page, [13, 6, 5]);
  await picked(page, 'to', 1);
  await settled(page);
  await expect(fact(page, 'edge')).toContainText('G2 reached');
  await expect(fact(page, 'rows moved')).toContainText(' of ');
  if (process.env.SHOTS) await page.screenshot({ path: `${process.env.SHOTS}/match1.png` });
  await choose(page, 'Who moves', 'Both halfway').catch(() => segment(page, 'Both halfway'));
  await settled(page);
  await expect(fact(page, 'edges')).toContainText('G2 reached');
  await keep(page);
  // the cap: all openings of the trimmed ball
  await tool(page, 'Patch');
  await slot(page, 'skin').click();
  await pickFromList(page, 'Trim');
  await toggle(page, 'Outer rim too');
  await toggle(page, 'Join to the skin');
  await settled(page);
  await expect(fact(page, 'openings filled')).toContainText('1 of 1');
  if (process.env.SHOTS) await page.screenshot({ path: `${process.env.SHOTS}/patch1.png` });
  await keep(page);
  await expect(page.getByRole('tab', { name: /^Rims/ })).toContainText('2');
  await noErrors(page, bad);
});
