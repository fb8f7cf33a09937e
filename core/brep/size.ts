import { type Box, boxOf, type Vec3 } from '../math/index.ts';
import { evaluateSurface } from '../nurbs/index.ts';
import { type Body, edgePoint, usedRange } from './body.ts';
import { insideFace } from './inside.ts';

const jet = new Float64Array(3);
/**
 * Box of chosen faces by their farthest places: along edges by samples and a golden section, on faces by a grid inside the trims from which
 * the best place is climbed to. Within about 1e-6 of the size; `bodyBox` is quicker and may be a little smaller or larger.
 */
export function measuredBox(b: Body, faces: readonly number[] = b.faces.map((_, i) => i)): Box {
  const points: number[] = [];
  const edges = new Set(faces.flatMap((f) => b.faces[f].loops.flat().map((u) => u.edge)));
  for (const i of edges) {
    const e = b.edges[i];
    const [a, z] = e.range;
    const n = e.degenerate ? 1 : 48;
    const at = Array.from({ length: n + 1 }, (_, k) => edgePoint(e, a + ((z - a) * k) / n));
    for (const p of at) points.push(...p);
    for (let axis = 0; axis < 3; axis++)
      for (const sign of [1, -1]) {
        const best = at.reduce((m, p, k) => (sign * p[axis] > sign * at[m][axis] ? k : m), 0);
        points.push(
          ...golden(
            (t) => edgePoint(e, t),
            a + ((z - a) * Math.max(0, best - 1)) / n,
            a + ((z - a) * Math.min(n, best + 1)) / n,
            axis,
            sign,
          ),
        );
      }
  }
  for (const i of faces) {
    const f = b.faces[i];
    if (f.record?.type === 1) continue;
    const [u0, u1, v0, v1] = usedRange(f, b);
    const inside = insideFace(b, i);
    const at = (u: number, v: number): Vec3 => {
      evaluateSurface(f.surface, u, v, 0, jet);
      return [jet[0], jet[1], jet[2]];
    };
    const grid: { u: number; v: number; p: Vec3 }[] = [];
    const N = 24;
    for (let j = 0; j <= N; j++)
      for (let k = 0; k <= N; k++) {
        const [u, v] = [u0 + ((u1 - u0) * (j + 0.003)) / (N + 0.006), v0 + ((v1 - v0) * (k + 0.003)) / (N + 0.006)];
        if (inside(u, v)) grid.push({ u, v, p: at(u, v) });
      }
    if (!grid.length) continue;
    for (let axis = 0; axis < 3; axis++)
      for (const sign of [1, -1]) {
        let best = grid.reduce((m, x) => (sign * x.p[axis] > sign * m.p[axis] ? x : m));
        for (let [du, dv] = [(u1 - u0) / N, (v1 - v0) / N]; du > 1e-9 * (u1 - u0); ) {
          let moved = false;
          for (const [x, y] of AROUND) {
            const [u, v] = [Math.min(u1, Math.max(u0, best.u + x * du)), Math.min(v1, Math.max(v0, best.v + y * dv))];
            const p = at(u, v);
            if (sign * p[axis] > sign * best.p[axis] && inside(u, v)) {
              best = { u, v, p };
              moved = true;
            }
          }
          if (!moved) [du, dv] = [du / 2, dv / 2];
        }
        points.push(...best.p);
      }
  }
  return boxOf(points);
}
const AROUND = [
  [1, 0],
  [-1, 0],
  [0, 1],
  [0, -1],
  [0.7, 0.7],
  [-0.7, 0.7],
  [0.7, -0.7],
  [-0.7, -0.7],
] as const;
const RATIO = (Math.sqrt(5) - 1) / 2;
function golden(at: (t: number) => Vec3, from: number, to: number, axis: number, sign: number): Vec3 {
  let [a, b] = [from, to];
  for (let k = 0; k < 44; k++) {
    const [x, y] = [b - RATIO * (b - a), a + RATIO * (b - a)];
    if (sign * at(x)[axis] > sign * at(y)[axis]) b = y;
    else a = x;
  }
  return at((a + b) / 2);
}
