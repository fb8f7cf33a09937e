import { type Body, insideFace, usedRange } from '../brep/index.ts';
import { add, cross, dot, type Frame, frameFromNormal, length, scale, sub, unit, type Vec3 } from '../math/index.ts';
import {
  closestOnSurface,
  curveInFrame,
  domain,
  evaluateInto,
  evaluateSurface,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  pointCount,
  surfaceNormal,
} from '../nurbs/index.ts';
import type { Field } from './contour.ts';

const jet = new Float64Array(27);

/** Signed distance from a plane, mm. */
export function planeField(b: Body, frame: Frame): Field {
  const [ox, oy, oz] = frame.origin;
  const [zx, zy, zz] = frame.z;
  const atPoint = (x: number, y: number, z: number) => (x - ox) * zx + (y - oy) * zy + (z - oz) * zz;
  const fromJet = (j: Float64Array, out: Float64Array) => {
    out[0] = atPoint(j[0], j[1], j[2]);
    out[1] = j[6] * zx + j[7] * zy + j[8] * zz;
    out[2] = j[3] * zx + j[4] * zy + j[5] * zz;
  };
  return {
    zero: 1e-9,
    crosses: true,
    touches: true,
    atPoint,
    fromJet,
    at(face, u, v, out) {
      evaluateSurface(b.faces[face].surface, u, v, 1, jet);
      fromJet(jet, out);
    },
  };
}

/** Cosine between the normal and a direction: zero on the outline (parting line) of smooth faces. */
export function outlineField(b: Body, direction: Vec3): Field {
  const d = unit(direction);
  return {
    zero: 1e-7,
    crosses: true,
    at(face, u, v, out) {
      const s = b.faces[face].surface;
      evaluateSurface(s, u, v, 2, jet);
      const at = (o: number): Vec3 => [jet[o], jet[o + 1], jet[o + 2]];
      // order 2 layout: v at 3, vv at 6, u at 9, uv at 12, uu at 18
      const [sv, svv, su, suv, suu] = [at(3), at(6), at(9), at(12), at(18)];
      const n = cross(su, sv);
      const l = length(n);
      if (!(l > 1e-12)) {
        const m = surfaceNormal(s, u, v);
        out[0] = dot(m, d);
        out[1] = 0;
        out[2] = 0;
        return;
      }
      // derivatives of the normal by u and by v
      const gu = add(cross(suu, sv), cross(su, suv));
      const gv = add(cross(suv, sv), cross(su, svv));
      const f = dot(n, d) / l;
      out[0] = f;
      out[1] = (dot(gu, d) - (f * dot(gu, n)) / l) / l;
      out[2] = (dot(gv, d) - (f * dot(gv, n)) / l) / l;
    },
  };
}

export interface Foot {
  /** Parameter on the curve; outside [a, b] on the straight lines that carry on an open curve. */
  readonly t: number;
  /** Signed distance from the curtain, mm, and its unit direction. */
  readonly distance: number;
  readonly normal: Vec3;
}
export interface Curtain {
  readonly foot: (p: Vec3) => Foot;
  readonly point: (t: number) => Vec3;
  readonly domain: readonly [number, number];
  readonly closed: boolean;
}
/**
 * The curtain of a curve without corners along a direction: feet and signed distances of points, seen along the direction. An open curve is
 * carried on straight at both ends, so that the distance is smooth there; what lies beyond is cut off by `t`.
 */
export function curtain(curve: NurbsCurve, direction: Vec3): Curtain {
  const frame = frameFromNormal([0, 0, 0], direction);
  const seen = curveInFrame(curve, frame);
  const [a, b] = domain(curve);
  const n = Math.max(48, 10 * pointCount(curve));
  const xs = new Float64Array(n + 1);
  const ys = new Float64Array(n + 1);
  const c = new Float64Array(6);
  for (let i = 0; i <= n; i++) {
    evaluateInto(seen, a + ((b - a) * i) / n, 0, c);
    [xs[i], ys[i]] = [c[0], c[1]];
  }
  const closed = Math.hypot(xs[n] - xs[0], ys[n] - ys[0]) < 1e-7 * (1 + Math.hypot(xs[0], ys[0]));
  const ends = [a, b].map((t) => {
    evaluateInto(seen, t, 1, c);
    const speed = Math.hypot(c[2], c[3]) || 1;
    return { t, x: c[0], y: c[1], tx: c[2] / speed, ty: c[3] / speed, speed };
  });
  const normalOf = (tx: number, ty: number): Vec3 => add(scale(frame.x, -ty), scale(frame.y, tx));
  return {
    domain: [a, b],
    closed,
    point: (t) => pointAt(curve, Math.min(b, Math.max(a, t))),
    foot(p) {
      const x = dot(p, frame.x);
      const y = dot(p, frame.y);
      // the two best places of the sampled curve, then Newton's method
      let [first, second] = [-1, -1];
      let [d1, d2] = [Infinity, Infinity];
      let before = Infinity;
      let here = (xs[0] - x) ** 2 + (ys[0] - y) ** 2;
      for (let i = 0; i <= n; i++) {
        const after = i < n ? (xs[i + 1] - x) ** 2 + (ys[i + 1] - y) ** 2 : Infinity;
        if (here <= before && here <= after) {
          if (here < d1) {
            [second, d2] = [first, d1];
            [first, d1] = [i, here];
          } else if (here < d2) [second, d2] = [i, here];
        }
        before = here;
        here = after;
      }
      let [bestT, bestD] = [a, Infinity];
      for (const i of second >= 0 && d2 < 2 * d1 + 1e-6 ? [first, second] : [first]) {
        let t = a + ((b - a) * i) / n;
        for (let k = 0; k < 30; k++) {
          evaluateInto(seen, t, 2, c);
          const [rx, ry] = [c[0] - x, c[1] - y];
          const g = rx * c[2] + ry * c[3];
          let h = c[2] * c[2] + c[3] * c[3] + rx * c[4] + ry * c[5];
          if (h <= 0) h = c[2] * c[2] + c[3] * c[3] || 1;
          let next = t - Math.max(-0.1 * (b - a), Math.min(0.1 * (b - a), g / h));
          if (closed) next = next < a ? next + (b - a) : next > b ? next - (b - a) : next;
          else next = Math.min(b, Math.max(a, next));
          if (Math.abs(next - t) < 1e-15 * (1 + Math.abs(t))) break;
          t = next;
        }
        evaluateInto(seen, t, 0, c);
        const d = (c[0] - x) ** 2 + (c[1] - y) ** 2;
        if (d < bestD) [bestT, bestD] = [t, d];
      }
      if (!closed)
        for (let k = 0; k < 2; k++) {
          const e = ends[k];
          const out = ((x - e.x) * e.tx + (y - e.y) * e.ty) * (k === 0 ? -1 : 1);
          if (out <= 0) continue;
          // on the straight line beyond the end
          const off = (y - e.y) * e.tx - (x - e.x) * e.ty;
          if (off * off <= bestD * (1 + 1e-12))
            return { t: e.t + ((k === 0 ? -1 : 1) * out) / e.speed, distance: off, normal: normalOf(e.tx, e.ty) };
        }
      evaluateInto(seen, bestT, 1, c);
      const l = Math.hypot(c[2], c[3]) || 1;
      return { t: bestT, distance: ((y - c[1]) * c[2] - (x - c[0]) * c[3]) / l, normal: normalOf(c[2] / l, c[3] / l) };
    },
  };
}
export function curtainField(b: Body, c: Curtain): Field {
  const fromJet = (j: Float64Array, out: Float64Array) => {
    const f = c.foot([j[0], j[1], j[2]]);
    out[0] = f.distance;
    out[1] = j[6] * f.normal[0] + j[7] * f.normal[1] + j[8] * f.normal[2];
    out[2] = j[3] * f.normal[0] + j[4] * f.normal[1] + j[5] * f.normal[2];
  };
  return {
    zero: 1e-7,
    atPoint: (x, y, z) => c.foot([x, y, z]).distance,
    fromJet,
    at(face, u, v, out) {
      evaluateSurface(b.faces[face].surface, u, v, 1, jet);
      fromJet(jet, out);
    },
  };
}

/**
 * Signed distance from a surface (positive on the side its normal looks to), mm; beyond its border from the tangent plane there, so that it
 * goes on smoothly. `foot` gives the place and the true distance, for cutting off.
 */
export function skinField(
  b: Body,
  other: NurbsSurface,
): Field & { foot: (p: Vec3) => { u: number; v: number; distance: number; side: number } } {
  let last: readonly [number, number] | undefined;
  const foot = (p: Vec3) => {
    const near = last && closestOnSurface(other, p, last);
    const whole = near && near.distance < 1e-6 ? near : closestOnSurface(other, p);
    const best = near && near.distance <= whole.distance ? near : whole;
    last = [best.u, best.v];
    const n = surfaceNormal(other, best.u, best.v);
    return { u: best.u, v: best.v, distance: best.distance, side: dot(sub(p, best.point), n) };
  };
  return {
    zero: 1e-7,
    crosses: true,
    touches: true,
    foot,
    at(face, u, v, out) {
      evaluateSurface(b.faces[face].surface, u, v, 1, jet);
      const [su, sv]: Vec3[] = [
        [jet[6], jet[7], jet[8]],
        [jet[3], jet[4], jet[5]],
      ];
      const f = foot([jet[0], jet[1], jet[2]]);
      const n = surfaceNormal(other, f.u, f.v);
      out[0] = f.side;
      out[1] = dot(su, n);
      out[2] = dot(sv, n);
    },
  };
}

/** The same test made a hair inside the face's range: on a natural border, as a seam, the plain one is ambiguous. */
export function insideOrOnBorder(b: Body, face: number, steps?: number): (u: number, v: number) => boolean {
  const inside = insideFace(b, face, steps);
  const [u0, u1, v0, v1] = usedRange(b.faces[face], b);
  const [du, dv] = [1e-7 * (u1 - u0), 1e-7 * (v1 - v0)];
  return (u, v) => inside(Math.min(u1 - du, Math.max(u0 + du, u)), Math.min(v1 - dv, Math.max(v0 + dv, v)));
}
