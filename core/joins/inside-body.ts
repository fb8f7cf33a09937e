import { type Body, bodyBox, type Edge, insideFace, useUV } from '../brep/index.ts';
import { boxSize, type Vec3 } from '../math/index.ts';
import { makeCurve, surfacePoint } from '../nurbs/index.ts';
import { cellsOf } from './cells.ts';
import { pierceSurface } from './pierce.ts';

const tests = new WeakMap<Body, ((u: number, v: number) => boolean)[]>();
/** Directions of no special place. */
const RAYS: readonly Vec3[] = [
  [0.5257311121, 0.7236067977, 0.4472135955],
  [-0.3090169944, 0.8090169944, -0.5],
  [0.8341, -0.2277, 0.5024],
];
const insidesOf = (b: Body) => {
  let inside = tests.get(b);
  if (!inside) tests.set(b, (inside = b.faces.map((_, i) => insideFace(b, i, 64))));
  return inside;
};
/** Distances (mm, rising) at which a straight line from `p` along the unit vector `d`, `reach` long, goes through faces of a body. */
export function rayHits(b: Body, p: Vec3, d: Vec3, reach: number): number[] {
  const inside = insidesOf(b);
  const end: Vec3 = [p[0] + reach * d[0], p[1] + reach * d[1], p[2] + reach * d[2]];
  const ray: Edge = { curve: makeCurve(1, [p, end], [0, 0, 1, 1]), range: [0, 1], start: 0, end: 0, tolerance: 0, name: 'ray' };
  const out: number[] = [];
  b.faces.forEach((f, i) => {
    for (const hit of pierceSurface(ray, cellsOf(f.surface))) if (inside[i](hit.uv[0], hit.uv[1])) out.push(reach * hit.t);
  });
  return out.sort((x, y) => x - y);
}
/** Does a place lie inside a closed body? Parity of three rays, the majority holds. */
export function inBody(b: Body, p: Vec3): boolean {
  const box = bodyBox(b);
  const reach = 2 * boxSize(box) + Math.hypot(...[0, 1, 2].map((k) => Math.max(box.min[k] - p[k], p[k] - box.max[k], 0)));
  return RAYS.filter((d) => rayHits(b, p, d, reach).length % 2 === 1).length >= 2;
}

/** A place well inside the trims of a face, on its surface. */
export function placeInFace(b: Body, face: number): { uv: readonly [number, number]; point: Vec3 } {
  const f = b.faces[face];
  const test = insideFace(b, face, 64);
  const rim: (readonly [number, number])[] = [];
  for (const u of f.loops.flat()) {
    const [a, z] = b.edges[u.edge].range;
    for (let i = 0; i < 16; i++) rim.push(useUV(f, u, a + ((z - a) * (i + 0.5)) / 16));
  }
  const [u0, u1] = [Math.min(...rim.map((p) => p[0])), Math.max(...rim.map((p) => p[0]))];
  const [v0, v1] = [Math.min(...rim.map((p) => p[1])), Math.max(...rim.map((p) => p[1]))];
  let best: [number, number] = [(u0 + u1) / 2, (v0 + v1) / 2];
  let most = -1;
  for (const n of [9, 31, 101]) {
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        const [u, v] = [u0 + ((u1 - u0) * (i + 0.47)) / n, v0 + ((v1 - v0) * (j + 0.53)) / n];
        if (!test(u, v)) continue;
        const d = Math.min(...rim.map(([p, q]) => ((p - u) / (u1 - u0)) ** 2 + ((q - v) / (v1 - v0)) ** 2));
        if (d > most) {
          most = d;
          best = [u, v];
        }
      }
    if (most > 0) break;
  }
  return { uv: best, point: surfacePoint(f.surface, ...best) };
}
