import { type Body, BodyBuilder, type EdgeUse, surfaceBody } from '../brep/index.ts';
import type { Frame, Vec3 } from '../math/index.ts';
import {
  controlPointCurve,
  curveOfFit,
  fitFunction,
  line2,
  lineCurve,
  makeSurface,
  type NurbsCurve,
  type NurbsSurface,
  planeSurface,
  revolvedSurface,
  smoothArc,
  surfacePoint,
} from '../nurbs/index.ts';

/** Shapes that stand beside blends and patches in tests and comparisons, about 100 mm in size. */
export type NeighbourShape = 'plane' | 'cylinder' | 'sphere' | 'torus' | 'wavy';
export const NEIGHBOUR_SHAPES: readonly NeighbourShape[] = ['plane', 'cylinder', 'sphere', 'torus', 'wavy'];

/** Affine placement of a surface by a frame. */
export function placedSurface(s: NurbsSurface, f: Frame): NurbsSurface {
  const control = new Float64Array(s.control);
  for (let i = 0; i < control.length; i += 4) {
    const [x, y, z, w] = [control[i], control[i + 1], control[i + 2], control[i + 3]];
    for (let d = 0; d < 3; d++) control[i + d] = f.x[d] * x + f.y[d] * y + f.z[d] * z + f.origin[d] * w;
  }
  return { ...s, control };
}
/** A bicubic skin of 8 x 8 points over 100 x 100 mm with waves of `amplitude`. */
export function wavySkin(amplitude = 8, n = 8): NurbsSurface {
  const at = (i: number) => (100 * i) / (n - 1);
  const points = Array.from({ length: n }, (_, i) =>
    Array.from({ length: n }, (_, j): Vec3 => [at(i), at(j) - 50, amplitude * Math.sin(1.9 * i + 0.4) * Math.cos(1.6 * j - 0.3)]),
  );
  const knots = [0, 0, 0, ...Array.from({ length: n - 2 }, (_, i) => i / (n - 3)), 1, 1, 1];
  return makeSurface(3, 3, points, knots, knots);
}
/**
 * The shape with its border towards -x: u = 0 is the border, running along v through about y = -50..50 at the frame's origin.
 */
export function shapeSurface(shape: NeighbourShape, f: Frame): NurbsSurface {
  const world: Frame = { origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
  if (shape === 'plane') return placedSurface(planeSurface(world, 0, 100, -50, 50), f);
  if (shape === 'wavy') return placedSurface(wavySkin(), f);
  if (shape === 'cylinder') {
    // axis along x, radius 60: the border is an arc
    const arc = smoothArc(
      { origin: [0, 0, -60], x: [0, -1, 0], y: [0, 0, 1], z: [-1, 0, 0] },
      60,
      60,
      Math.PI / 2 - 0.85,
      Math.PI / 2 + 0.85,
    );
    return placedSurface(extrudedTo(arc, [100, 0, 0]), f);
  }
  const R = shape === 'sphere' ? 50 : 35;
  const main = shape === 'sphere' ? 0 : 90;
  // turned about an axis along y through (0, 0, -R - main)
  const profile = smoothArc({ origin: [0, 0, -R], x: [0, -1, 0], y: [0, 0, 1], z: [-1, 0, 0] }, R, R, Math.PI / 2 - 0.9, Math.PI / 2 + 0.9);
  const s = revolvedSurface(profile, [0, 0, -R - main], [0, 1, 0], 0, 0.9);
  // profile along u, turning along v: exchange them so that u leads away from the border
  return placedSurface(swap(s), f);
}
const extrudedTo = (c: NurbsCurve, by: Vec3): NurbsSurface => {
  const n = c.control.length / 4;
  const control = new Float64Array(2 * n * 4);
  for (let i = 0; i < n; i++) {
    const w = c.control[4 * i + 3];
    control.set(c.control.subarray(4 * i, 4 * i + 4), 4 * i);
    control.set([c.control[4 * i] + by[0] * w, c.control[4 * i + 1] + by[1] * w, c.control[4 * i + 2] + by[2] * w, w], 4 * (n + i));
  }
  return {
    degreeU: 1,
    degreeV: c.degree,
    knotsU: Float64Array.of(0, 0, 1, 1),
    knotsV: c.knots,
    countU: 2,
    countV: n,
    control,
    rational: true,
  };
};
function swap(s: NurbsSurface): NurbsSurface {
  const control = new Float64Array(s.control.length);
  for (let i = 0; i < s.countU; i++)
    for (let j = 0; j < s.countV; j++)
      control.set(s.control.subarray(4 * (i * s.countV + j), 4 * (i * s.countV + j) + 4), 4 * (j * s.countU + i));
  return { ...s, degreeU: s.degreeV, degreeV: s.degreeU, knotsU: s.knotsV, knotsV: s.knotsU, countU: s.countV, countV: s.countU, control };
}
/** A body of the whole surface, and the edge of its side u = 0. */
export function naturalNeighbour(s: NurbsSurface): { body: Body; edge: number } {
  const { body, sides } = surfaceBody(s, { prefix: 'n', face: () => 'n:face' });
  return { body, edge: sides.u0[0] };
}
/**
 * A body of the part of the surface beyond a curve through `image` (points in shares of the parameter ranges, from v = low to v = high), and
 * the edge along it; the curve in space is fitted within 1e-7 mm.
 */
export function trimmedNeighbour(s: NurbsSurface, image: readonly (readonly [number, number])[]): { body: Body; edge: number } {
  const range = (k: Float64Array, d: number) => [k[d], k[k.length - d - 1]] as const;
  const [u0, u1] = range(s.knotsU, s.degreeU);
  const [v0, v1] = range(s.knotsV, s.degreeV);
  const pts = image.map(([u, v]): Vec3 => [u0 + (u1 - u0) * u, v0 + (v1 - v0) * v, 0]);
  const plan = pts.length === 2 ? lineCurve(pts[0], pts[1]) : controlPointCurve(pts, Math.min(3, pts.length - 1), false);
  const flat = {
    dim: 2 as const,
    degree: plan.degree,
    knots: plan.knots,
    control: Float64Array.from({ length: (plan.control.length / 4) * 3 }, (_, i) => plan.control[4 * Math.floor(i / 3) + [0, 1, 3][i % 3]]),
    rational: false,
  };
  const k = new BodyBuilder(1e-5);
  const at = (c: NurbsCurve, t: number) => {
    const out = new Float64Array(3);
    evaluate2(c, t, out);
    return [out[0], out[1]] as const;
  };
  const [a, b] = range(flat.knots, flat.degree);
  const edgeOf = (f: (t: number) => readonly [number, number], from: number, to: number, name: string) => {
    const fit = fitFunction((t, out) => out.set(surfacePoint(s, ...f(t))), from, to, 3, 5, 1e-7);
    return k.edge(curveOfFit(fit, 5), name);
  };
  const first = at(flat, a);
  const last = at(flat, b);
  const border = edgeOf((t) => at(flat, t), a, b, 'cut');
  const straight = (p: readonly [number, number], q: readonly [number, number], name: string): EdgeUse => ({
    edge: edgeOf((t) => [p[0] + (q[0] - p[0]) * t, p[1] + (q[1] - p[1]) * t], 0, 1, name),
    reversed: false,
    pcurve: { curve: line2(p, q) },
  });
  const loop: EdgeUse[] = [
    straight(first, [u1, first[1]], 'low'),
    straight([u1, first[1]], [u1, last[1]], 'far'),
    straight([u1, last[1]], last, 'high'),
    { edge: border, reversed: true, pcurve: { curve: flat } },
  ];
  k.face(s, [loop], 'n:face');
  return { body: k.body(), edge: border };
}
function evaluate2(c: NurbsCurve, t: number, out: Float64Array): void {
  // de Boor on a plane curve without weights
  const p = c.degree;
  let span = p;
  const n = c.control.length / 3;
  while (span + 1 < n && t >= c.knots[span + 1]) span++;
  const d = Array.from({ length: p + 1 }, (_, j) => [c.control[3 * (span - p + j)], c.control[3 * (span - p + j) + 1]]);
  for (let r = 1; r <= p; r++)
    for (let j = p; j >= r; j--) {
      const i = span - p + j;
      const x = (t - c.knots[i]) / (c.knots[i + p - r + 1] - c.knots[i]);
      d[j] = [d[j - 1][0] + (d[j][0] - d[j - 1][0]) * x, d[j - 1][1] + (d[j][1] - d[j - 1][1]) * x];
    }
  out[0] = d[p][0];
  out[1] = d[p][1];
}
