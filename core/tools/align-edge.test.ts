import { expect, it } from 'vitest';
import { type Body, edgePoint } from '../brep/index.ts';
import { dot, sub, type Vec3 } from '../math/index.ts';
import { surfacePoint } from '../nurbs/index.ts';
import type { Pick } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, run, step } from '../testing/run.ts';

const wave = (id: string, x: number) =>
  step(id, 'spline', { degree: 3, points: [0, 1, 2, 3, 4, 5].map((i) => [x + Math.sin(i), 8 * i, 3 * Math.cos(2 * i + x)]) });
const edge = (of: string, name: string): Pick => ({ step: of, output: 'main', part: { kind: 'edge', name } });
const sheet = [wave('a', 0), wave('b', 20), wave('c', 40), step('s', 'loft', { degree: 2 }, { sections: ['a', 'b', 'c'] })];
const points = (b: Body, name: string): Vec3[] => {
  const e = b.edges.find((x) => x.name === name);
  if (!e) throw new Error(`no ${name} among ${b.edges.map((x) => x.name).join()}`);
  return Array.from({ length: 41 }, (_, i) => edgePoint(e, e.range[0] + ((e.range[1] - e.range[0]) * i) / 40));
};

it('an edge is laid into an axis value or a plane exactly; the far edge stays as it was', async () => {
  const plane = { ...step('p', 'work-plane', { offset: [40, 0, 6], turns: [0, 70, 0] }), version: 2 };
  const r = await run(
    ...sheet,
    plane,
    step('flat', 'align-edge', { axis: 'z', value: 5 }, { edge: [edge('s', 's.v1')] }),
    step('lean', 'align-edge', { follow: 1 }, { edge: [edge('s', 's.v1')], plane: ['p'] }),
  );
  const before = bodyOf(r, 's');
  const flat = bodyOf(r, 'flat');
  for (const q of points(flat, 's.v1')) expect(Math.abs(q[2] - 5)).toBeLessThan(1e-12);
  points(flat, 's.v0').forEach((q, i) => expect(Math.hypot(...sub(q, points(before, 's.v0')[i]))).toBeLessThan(1e-12));
  const frame = r.get('p')?.outputs.main;
  if (frame?.kind !== 'plane') throw new Error('no plane');
  const lean = bodyOf(r, 'lean');
  for (const q of points(lean, 's.v1')) expect(Math.abs(dot(sub(q, frame.frame.origin), frame.frame.z))).toBeLessThan(1e-11);
  points(lean, 's.v0').forEach((q, i) => expect(Math.hypot(...sub(q, points(before, 's.v0')[i]))).toBeLessThan(1e-12));
  // with the row behind it the middle of the sheet has moved too
  const middle = (b: Body) => surfacePoint(b.faces[0].surface, 0.5, 0.5);
  expect(Math.hypot(...sub(middle(lean), middle(before)))).toBeGreaterThan(0.1);
  expect(factOf(r, 'lean', 'rows moved')).toBe('2');
});
it('refuses what it cannot keep, with the next step', async () => {
  const can = [step('c1', 'circle', { radius: 10 }), step('can', 'extrude', { distance: 20, cap: true }, { profile: ['c1'] })];
  const rim = bodyOf(await run(...can), 'can').edges[0].name;
  const r = await run(
    ...sheet,
    ...can,
    step('many', 'align-edge', {}, { edge: [edge('can', rim)] }),
    { ...step('p', 'work-plane', { base: 'xz', offset: [0, 0, -20] }), version: 2 },
    step('cut', 'trim', { keep: 'behind' }, { target: ['s'], cutters: ['p'] }),
    step('trimmed', 'align-edge', {}, { edge: [edge('cut', 'cut.cut(s:side)')] }),
  );
  expect(codeOf(r, 'many')).toBe('several-faces');
  expect(r.get('trimmed')?.diagnostics.at(-1)?.code).toBe('not-a-side');
});
