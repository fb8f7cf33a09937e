import { describe, expect, it } from 'vitest';
import { BodyBuilder, type EdgeUse, subBody } from '../brep/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import {
  fitFunction,
  line2,
  makeCurve,
  makeSurface,
  type NurbsSurface,
  pointAt,
  revolvedSurface,
  smoothArc,
  surfacePoint,
} from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import { type PatchGrade, patchRim } from './patch.ts';

/** A face with an opening whose sides are straight in (u, v); the sides are fitted curves on the surface. */
function opening(s: NurbsSurface, corners: readonly (readonly [number, number])[]): { k: BodyBuilder; chain: number[] } {
  const k = new BodyBuilder(1e-5);
  const loop = corners.map((a, i): EdgeUse => {
    const b = corners[(i + 1) % corners.length];
    const fit = fitFunction((t, out) => out.set(surfacePoint(s, a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t)), 0, 1, 3, 5, 1e-9);
    const rows = Array.from({ length: fit.data.length / 3 }, (_, r) => Array.from(fit.data.subarray(3 * r, 3 * r + 3)));
    return { edge: k.edge(makeCurve(5, rows, fit.knots), `side${i}`), reversed: false, pcurve: { curve: line2(a, b) } };
  });
  k.face(s, [loop.reverse().map((u) => ({ ...u, reversed: true }))], 'neighbour');
  return { k, chain: loop.map((u) => u.edge) };
}
const polygon = (n: number, cx: number, cy: number, rx: number, ry: number) =>
  Array.from(
    { length: n },
    (_, i) => [cx + rx * Math.cos((2 * Math.PI * i) / n + 0.3), cy + ry * Math.sin((2 * Math.PI * i) / n + 0.3)] as const,
  );

const R = 50;
const front = { origin: [0, 0, 0] as Vec3, x: [0, 0, 1] as Vec3, y: [1, 0, 0] as Vec3, z: [0, 1, 0] as Vec3 };
// a cap of the ball of radius 50 without its pole inside the opening: the axis lies in the plane of the rim
const ball = revolvedSurface(
  smoothArc({ ...front, x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, R, R, 0.6, 2.5),
  [0, 0, 0],
  [1, 0, 0],
  -1,
  1,
);

/** A bicubic skin with waves of 60 and 75 mm. */
function wavy(): NurbsSurface {
  const n = 14;
  const pts = Array.from({ length: n }, (_, i) =>
    Array.from(
      { length: n },
      (_, j): Vec3 => [i * 10 - 65, j * 10 - 65, 4 * Math.sin((2 * Math.PI * i * 10) / 60) * Math.cos((2 * Math.PI * j * 10) / 75)],
    ),
  );
  const knots = [0, 0, 0, ...Array.from({ length: n - 2 }, (_, i) => i / (n - 3)), 1, 1, 1];
  return makeSurface(3, 3, pts, knots, knots);
}

function fill(s: NurbsSurface, corners: readonly (readonly [number, number])[], grade: PatchGrade) {
  const { k, chain } = opening(s, corners);
  const r = patchRim(k, chain, 'patch', grade);
  if (!r.ok) throw new Error(r.message);
  const body = subBody(k.body(), [0, 1]);
  const seams = measureSeams(body);
  const worst = {
    gap: Math.max(...seams.map((x) => x.gap)),
    kink: Math.max(...seams.map((x) => x.kink)),
    step: Math.max(...seams.map((x) => x.step)),
  };
  return { result: r.result, body, worst };
}

describe('patch over an opening', () => {
  it.each([3, 5, 6, 8])('gives the ball back through a %i-sided hole, seams G2 by the proof', (n) => {
    const { body, worst, result } = fill(ball, polygon(n, 1.55, 0, 0.35, 0.4), 2);
    expect(worst.gap).toBeLessThan(1e-4);
    expect(worst.kink).toBeLessThan(0.01);
    expect(worst.step).toBeLessThan(0.02);
    expect(result.surface.countU).toBeLessThanOrEqual(22);
    // interior points of the patch lie on the ball
    const f = body.faces[1];
    let off = 0;
    for (let i = -4; i <= 4; i++)
      for (let j = -4; j <= 4; j++) off = Math.max(off, Math.abs(distance(surfacePoint(f.surface, i * 2, j * 2), [0, 0, 0]) - R));
    expect(off).toBeLessThan(0.002);
  });
  it.each([3, 4, 5, 7])('meets a wavy skin over %i sides within the limits', (n) => {
    const { worst } = fill(wavy(), polygon(n, 0.5, 0.52, 0.17, 0.17), 2);
    expect(worst.gap).toBeLessThan(0.001);
    expect(worst.kink).toBeLessThan(0.05);
    // per cent
    expect(worst.step).toBeLessThan(2);
  });
  it('position only over a flat rim stays flat; a rim seen crossing itself is refused with the place', () => {
    const flat = makeSurface(
      1,
      1,
      [
        [
          [0, 0, 0],
          [0, 60, 0],
        ],
        [
          [60, 0, 0],
          [60, 60, 0],
        ],
      ],
      [0, 0, 1, 1],
      [0, 0, 1, 1],
    );
    const { body } = fill(flat, polygon(5, 0.5, 0.5, 0.3, 0.3), 0);
    const f = body.faces[1];
    for (const e of f.loops[0]) expect(Math.abs(pointAt(body.edges[e.edge].curve, 0.5)[2])).toBeLessThan(1e-12);
    expect(
      Math.max(
        ...Array.from(f.surface.control)
          .filter((_, i) => i % 4 === 2)
          .map(Math.abs),
      ),
    ).toBeLessThan(1e-9);
    const { k, chain } = opening(flat, [
      [0.2, 0.2],
      [0.8, 0.8],
      [0.8, 0.2],
      [0.25, 0.7],
    ]);
    const r = patchRim(k, chain, 'patch', 0);
    expect(r.ok ? '' : r.message).toContain('crosses itself');
  });
});
