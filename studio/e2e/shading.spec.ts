import { readFileSync } from 'node:fs';
import { probeOf } from '@ample-skin/core/proof/surface-probe';
import { evaluateModel, type Model } from '@ample-skin/core/recipe';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import { nodeKernel } from '@ample-skin/engine/node';
import { expect, type Page, test } from '@playwright/test';
import { begin, noErrors, settled, recipeStep as step } from './helpers.ts';

interface View {
  readonly ampleView: {
    readback: (w: number, h: number) => { normals: Float32Array; places: Float32Array };
    orbits: { zoom: (f: number, x: number, y: number, aspect: number) => void }[];
    invalidate: () => void;
  };
}
/** Normals as shaded and their places, at so many pixels. */
async function shaded(page: Page, width: number, height: number): Promise<{ normals: number[][]; places: number[][] }> {
  const { normals, places } = await page.evaluate(
    ([w, h]) => {
      const r = (window as unknown as View).ampleView.readback(w, h);
      return { normals: Array.from(r.normals), places: Array.from(r.places) };
    },
    [width, height],
  );
  const triples = (x: number[]) => Array.from({ length: x.length / 3 }, (_, i) => [x[3 * i], x[3 * i + 1], x[3 * i + 2]]);
  return { normals: triples(normals), places: triples(places) };
}
/** Goes nearer by a factor and waits until the skins are as fine as that asks. */
async function nearer(page: Page, factor: number): Promise<void> {
  await page.evaluate((f) => {
    const v = (window as unknown as View).ampleView;
    v.orbits[0].zoom(1 / f, 0.1, 0.05, 1.5);
    v.invalidate();
  }, factor);
  await page.waitForTimeout(1500);
  await settled(page);
}
/** Degrees between two lines. */
const between = (a: readonly number[], b: readonly number[]): number => {
  const c = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  const d = a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  return (Math.atan2(Math.hypot(...c), Math.abs(d)) * 180) / Math.PI;
};

for (const [name, params, normalAt] of [
  ['a ball', { shape: 'ball', radius: 20 }, ([x, y, z]: number[]) => [x, y, z]],
  [
    'a ring',
    { shape: 'ring', radius: 20, thick: 6 },
    ([x, y, z]: number[]) => {
      const c = Math.hypot(x, y);
      return [x - (20 * x) / c, y - (20 * y) / c, z];
    },
  ],
] as const)
  test(`${name}: what is shaded is the exact normal within 0.05 degrees, at every pixel and at three zooms`, async ({ page }) => {
    const bad = await begin(page, name, [step('b', 'primitive', params)]);
    for (const factor of [1, 4, 6]) {
      if (factor > 1) await nearer(page, factor);
      const { normals, places } = await shaded(page, 480, 320);
      expect(normals.length).toBeGreaterThan(8000);
      let worst = 0;
      for (const [i, p] of places.entries()) worst = Math.max(worst, between(normals[i], normalAt(p)));
      expect([factor, worst < 0.05, worst]).toEqual([factor, true, worst]);
    }
    await noErrors(page, bad);
  });

test('the demo body: what is shaded is the normal of its exact surfaces within 0.05 degrees, but beside bent borders', async ({ page }) => {
  const recipe = JSON.parse(readFileSync(new URL('../../demo/recipes/tansy-body.json', import.meta.url), 'utf8')) as Model;
  const steps = recipe.steps.filter((s) => !['p-side', 'pic-side', 'x-body'].includes(s.id));
  const bad = await begin(page, 'Body', steps, recipe.dials as never);
  const kernel = nodeKernel();
  const r = await evaluateModel({ ...recipe, steps }, { tools: RUNNABLE, kernel, looks: false });
  await kernel.close();
  const wall = r.steps.get('w-body')?.outputs.main;
  if (wall?.kind !== 'solid') throw new Error('no wall');
  const probe = probeOf(wall.body);
  for (const factor of [1, 4]) {
    if (factor > 1) await nearer(page, factor);
    const { normals, places } = await shaded(page, 240, 160);
    let [asked, beyond] = [0, 0];
    for (const [i, p] of places.entries()) {
      const foot = probe.nearest([p[0], p[1], p[2]]);
      // curves and planes are not shaded; other skins than the wall are hidden
      if (!foot || foot.distance > 0.05) continue;
      asked++;
      if (between(normals[i], probe.normal(foot)) > 0.05) beyond++;
    }
    expect(asked).toBeGreaterThan(1500);
    expect([factor, beyond / asked < 0.01, beyond, asked]).toEqual([factor, true, beyond, asked]);
  }
  await noErrors(page, bad);
});
