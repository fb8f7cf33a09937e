import { type Body, edgeCurve, traceTangent, useUV } from '../brep/index.ts';
import { type Box, boxOf, type Vec3 } from '../math/index.ts';
import { closestOnCurve, controlPoints, type NurbsCurve } from '../nurbs/index.ts';

interface Border {
  readonly curve: NurbsCurve;
  readonly box: Box;
  readonly loop: number;
  readonly index: number;
}
const borders = new WeakMap<object, Border[]>();
const polygons = new WeakMap<object, number[][]>();

function bordersOf(b: Body, face: number): Border[] {
  const f = b.faces[face];
  let list = borders.get(f.loops);
  if (!list) {
    list = f.loops.flatMap((l, loop) =>
      l.flatMap((use, index) => {
        if (b.edges[use.edge].degenerate) return [];
        const curve = edgeCurve(b.edges[use.edge]);
        return [{ curve, box: boxOf(controlPoints(curve).flat()), loop, index }];
      }),
    );
    borders.set(f.loops, list);
  }
  return list;
}
/** Least distance from a place to the border of a face, with the border's foot. */
export function borderFoot(b: Body, face: number, p: Vec3): { distance: number; point: Vec3; t: number; border: Border } | undefined {
  let best: { distance: number; point: Vec3; t: number; border: Border } | undefined;
  const far = (x: Box) => Math.hypot(...[0, 1, 2].map((k) => Math.max(0, x.min[k] - p[k], p[k] - x.max[k])));
  for (const border of [...bordersOf(b, face)].sort((x, y) => far(x.box) - far(y.box))) {
    if (best && far(border.box) > best.distance) break;
    const foot = closestOnCurve(border.curve, p);
    if (!best || foot.distance < best.distance) best = { distance: foot.distance, point: foot.point, t: foot.t, border };
  }
  return best;
}

/** Does a place of the surface lie inside the trims of the face? Even-odd over sampled loops; beside the border by the side of its foot. */
export function insideFace(b: Body, face: number, u: number, v: number, p: Vec3, near: number): boolean {
  const f = b.faces[face];
  const foot = borderFoot(b, face, p);
  if (foot && foot.distance < near) {
    const use = f.loops[foot.border.loop][foot.border.index];
    const e = b.edges[use.edge];
    // the curve's own parameter is the edge's where the edge has no turn map; else the nearest of samples is taken
    const t = e.turn ? nearestParameter(b, use.edge, foot.point) : foot.t;
    const [a, z] = e.range;
    if (t > a + 1e-6 * (z - a) && t < z - 1e-6 * (z - a) && !f.turnU && !f.turnV) {
      const h = 1e-5 * (z - a);
      const [p0, p1] = [useUV(f, use, t - h), useUV(f, use, t + h)];
      const sign = use.reversed ? -1 : 1;
      const at = useUV(f, use, t);
      const cross = sign * ((p1[0] - p0[0]) * (v - at[1]) - (p1[1] - p0[1]) * (u - at[0]));
      return cross > 0;
    }
  }
  return evenOdd(b, face, u, v);
}
function nearestParameter(b: Body, edge: number, p: Vec3): number {
  const e = b.edges[edge];
  let best = e.range[0];
  let least = Infinity;
  for (let i = 0; i <= 96; i++) {
    const t = e.range[0] + ((e.range[1] - e.range[0]) * i) / 96;
    const q = traceTangent(e, t)[0];
    const d = Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]);
    if (d < least) [least, best] = [d, t];
  }
  return best;
}
export function evenOdd(b: Body, face: number, u: number, v: number): boolean {
  const f = b.faces[face];
  let loops = polygons.get(f.loops);
  if (!loops) {
    loops = f.loops.map((l) =>
      l.flatMap((use) => {
        const [a, z] = b.edges[use.edge].range;
        return Array.from({ length: 48 }, (_, i) => (use.reversed ? z + ((a - z) * i) / 48 : a + ((z - a) * i) / 48)).flatMap((t) => [
          ...useUV(f, use, t),
        ]);
      }),
    );
    polygons.set(f.loops, loops);
  }
  let inside = false;
  for (const l of loops)
    for (let i = 0, j = l.length - 2; i < l.length; j = i, i += 2)
      if (l[i + 1] > v !== l[j + 1] > v && u < ((l[j] - l[i]) * (v - l[i + 1])) / (l[j + 1] - l[i + 1]) + l[i]) inside = !inside;
  return inside;
}
