import { readFileSync } from 'node:fs';
import { isWatertight, massProperties, meshBody } from '@ample-skin/core/brep';
import { readScan } from '@ample-skin/core/exchange';
import type { Vec3 } from '@ample-skin/core/math';
import { findDefects, measureSeams } from '@ample-skin/core/proof';
import { evaluateModel } from '@ample-skin/core/recipe';
import { RUNNABLE } from '@ample-skin/core/tools/evaluations';
import { expect, it } from 'vitest';
import { localKernel as kernel } from '../core/brep/local.ts';
import { gripPlace } from './grip-shape.ts';
import { squeezeGrip } from './squeeze-grip.ts';

const asset = async (id: string) => {
  const name = id.split('/').pop() as string;
  return { name, data: new Uint8Array(readFileSync(new URL(`./files/${name}`, import.meta.url))) };
};
it('the Squeeze grip: paved, mirrored, laid onto the clay within 0.4 mm, NURBS faces, a collar, a solid; the shape is that of the clay', async () => {
  const r = await evaluateModel(squeezeGrip(), { tools: RUNNABLE, kernel, asset });
  expect([...r.steps].map(([id, s]) => [id, s.status])).toEqual(squeezeGrip().steps.map((s) => [s.id, 'fine']));
  const grip = r.steps.get('k-grip')?.outputs.main;
  if (grip?.kind !== 'solid') throw new Error('no solid');
  expect(isWatertight(grip.body)).toBe(true);
  expect(findDefects(grip.body, 1e-4)).toEqual([]);
  const seams = measureSeams(grip.body);
  // all but the edges of the flat lid and of the collar's rim
  expect(seams.filter((s) => s.kink > 1).length).toBeLessThanOrEqual(1);
  expect(Math.max(...seams.filter((s) => s.kink <= 1).map((s) => s.kink))).toBeLessThan(0.05);
  expect(massProperties(grip.body).volume).toBeGreaterThan(60_000);
  // against the shape the clay was made of, not its mesh: places of the faces below the rim, each to the nearest of a fine grid, refined
  const skin = r.steps.get('n-grip')?.outputs.main;
  if (skin?.kind !== 'skin') throw new Error('no skin');
  const m = meshBody(skin.body, { chord: 0.5, angle: 0.5 });
  let worst = 0;
  for (let i = 0; i < m.positions.length; i += 3 * 7) {
    const p: Vec3 = [m.positions[i], m.positions[i + 1], m.positions[i + 2]];
    if (p[2] > 106) continue;
    const far = (t: number, a: number) => Math.hypot(...gripPlace(Math.min(1, Math.max(0, t)), a).map((x, k) => x - p[k]));
    let best = { t: 0, a: 0, d: Infinity };
    // closer together at the foot, where all angles are one place
    for (let k = 1; k <= 60; k++)
      for (let j = 0; j < 60; j++) {
        const [t, a] = [(k / 60) ** 2, (2 * Math.PI * j) / 60];
        const d = far(t, a);
        if (d < best.d) best = { t, a, d };
      }
    for (let h = 1 / 60; h > 1e-5; h /= 1.7)
      for (const [dt, da] of [
        [h, 0],
        [-h, 0],
        [0, 6 * h],
        [0, -6 * h],
      ]) {
        const d = far(best.t + dt, best.a + da);
        if (d < best.d) best = { t: Math.min(1, Math.max(0, best.t + dt)), a: best.a + da, d };
      }
    worst = Math.max(worst, best.d);
  }
  expect(worst).toBeLessThan(0.45);
  const scan = await readScan(await asset('grip-scan.ply').then((x) => x.data), 'grip-scan.ply');
  expect(scan.ok && scan.parts[0].mesh.indices.length / 3).toBeGreaterThan(10_000);
});
