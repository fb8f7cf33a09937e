import { type Body, BodyBuilder, joinEqualEdges, surfaceBody } from '../brep/index.ts';
import { clampedKnots, interpolateGrid, type NurbsSurface, surfacePoint } from '../nurbs/index.ts';
import type { PatchResult } from './patch.ts';
import type { PatchSide } from './patch-rim.ts';

type Place = readonly [number, number];
const DEGREE = 5;

/**
 * A patch as four-sided faces: one for four sides, else one for each corner, cut in the parameters of the patch from its middle to the
 * middles of its sides. Each is the patch itself, interpolated; inner seams are shared. Undefined where the middle lies outside.
 */
export function patchQuads(
  r: PatchResult,
  sides: readonly PatchSide[],
  name: string,
  points: number,
): { body: Body; surfaces: NurbsSurface[] } | undefined {
  const n = r.ring.length;
  if (n < 3) return undefined;
  // images of the sides in ring direction, by share
  const lines = r.ring.map(({ side, reversed }) => {
    const { border } = sides[side];
    const known: { t: number; x: Place }[] = [];
    for (let i = 0; i <= 64; i++) {
      const t = i / 64;
      known.push({ t, x: r.image(border.place(reversed ? 1 - t : t).point, known.at(-1)?.x) });
    }
    return (t: number): Place => {
      const near = known[Math.min(64, Math.max(0, Math.round(t * 64)))].x;
      return r.image(border.place(reversed ? 1 - t : t).point, near);
    };
  });
  const mid = lines.map((l) => l(0.5));
  const centre: Place = [mid.reduce((s, p) => s + p[0], 0) / n, mid.reduce((s, p) => s + p[1], 0) / n];
  const mix = (a: Place, b: Place, f: number): Place => [a[0] + (b[0] - a[0]) * f, a[1] + (b[1] - a[1]) * f];
  type Line = (t: number) => Place;
  /** Boundary lines: bottom and top along u, left and right along v. */
  const cells: { bottom: Line; top: Line; left: Line; right: Line }[] = [];
  if (n === 4) cells.push({ bottom: lines[0], right: lines[1], top: (t) => lines[2](1 - t), left: (t) => lines[3](1 - t) });
  else
    for (let i = 0; i < n; i++) {
      const before = lines[(i + n - 1) % n];
      const j = (i + n - 1) % n;
      // from the corner along this side to its middle, and back along the one before
      cells.push({
        bottom: (t) => lines[i](t / 2),
        right: (t) => mix(mid[i], centre, t),
        top: (t) => mix(mid[j], centre, t),
        left: (t) => before(1 - t / 2),
      });
    }
  const knots = clampedKnots(points, DEGREE);
  const surfaces = cells.map((c) => {
    const [p00, p10, p01, p11] = [c.bottom(0), c.bottom(1), c.top(0), c.top(1)];
    const at = (u: number, v: number): Place => {
      const [b, t, l, r2] = [c.bottom(u), c.top(u), c.left(v), c.right(v)];
      return [0, 1].map(
        (d) =>
          (1 - v) * b[d] +
          v * t[d] +
          (1 - u) * l[d] +
          u * r2[d] -
          ((1 - u) * (1 - v) * p00[d] + u * (1 - v) * p10[d] + (1 - u) * v * p01[d] + u * v * p11[d]),
      ) as unknown as Place;
    };
    return interpolateGrid(
      (u, v) => {
        const [x, y] = at(u, v);
        return surfacePoint(r.surface, x, y);
      },
      DEGREE,
      knots,
      knots,
    );
  });
  const k = new BodyBuilder(1e-4);
  surfaces.forEach((s, i) => {
    surfaceBody(s, { prefix: `${name}.${i}`, face: () => `${name}.part${i}` }, k, { u: [], v: [] });
  });
  return { body: joinEqualEdges(k).body, surfaces };
}
