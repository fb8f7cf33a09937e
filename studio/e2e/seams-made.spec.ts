import { expect, test } from '@playwright/test';
import { begin, card, clickAt, keep, lookFrom, noErrors, picked, pickFromList, settled, stage, tool, type } from './helpers.ts';

type Pick = { step: string; output: string; part?: { kind: string; name: string } };
const step = (id: string, name: string, params: object = {}, inputs: Record<string, (string | Pick)[]> = {}) => ({
  id,
  tool: name,
  version: 1,
  params,
  inputs: Object.fromEntries(
    Object.entries(inputs).map(([k, v]) => [k, v.map((p) => (typeof p === 'string' ? { step: p, output: 'main' } : p))]),
  ),
});
const fact = (page: Parameters<typeof card>[0], label: string) =>
  card(page)
    .locator('.factgrid > div')
    .filter({ has: page.locator('dt', { hasText: new RegExp(`^${label}$`) }) });

test('two tubes get a neck: edges picked in the view, reach typed, seams told, knitted', async ({ page }) => {
  test.setTimeout(150_000);
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
  if (process.env.SHOTS) await page.screenshot({ path: `${process.env.SHOTS}/blend3.png` });
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
