import {
  add,
  angleBetween,
  cross,
  distance,
  dot,
  type Frame,
  insidePolygon,
  length,
  polygonCrossing,
  scale,
  solveDense,
  sub,
  symmetric3,
  toLocal,
  unit,
  type Vec3,
} from '../math/index.ts';
import { makeSurface, type NurbsSurface, ruledSurface, smoothArc } from '../nurbs/index.ts';
import type { Spot } from './patch-rim.ts';

/** A shape that all neighbours lie on, exactly, and where a point lies in it. */
export interface ExactShape {
  readonly surface: NurbsSurface;
  readonly inverse: (p: Vec3) => readonly [number, number] | undefined;
  /** Parameters of a plane are lengths in this frame. */
  readonly frame?: Frame;
}
/** Places and normals that agree with a shape within this share of the opening, and this angle, are taken to lie on it. */
const [MISS, LEAN] = [2e-7, 2e-6];

/**
 * The plane, cylinder or cone that all neighbours lie on: places and normals decide (normals of a cylinder or cone make one angle with its
 * axis), curvatures are left to the measure of the finished patch. Undefined when there is none, or the opening runs round the axis.
 */
export function straightShape(rim: readonly Spot[]): ExactShape | undefined {
  // the neighbours themselves, not the curves, which keep to them within their own tolerance
  const spots = rim.map((s): Spot => {
    if (!s.normal || !s.jet) return s;
    const { normal } = s.jet;
    return { ...s, point: s.jet.partials[0], normal: dot(normal, s.normal) < 0 ? scale(normal, -1) : normal };
  });
  const points = spots.map((s) => s.point);
  const normals = spots.flatMap((s) => (s.normal ? [s.normal] : []));
  if (normals.length < 12) return undefined;
  const middle = scale(
    points.reduce<Vec3>((s, p) => add(s, p), [0, 0, 0]),
    1 / points.length,
  );
  const size = Math.max(...points.map((p) => distance(p, middle)));
  const mean = scale(
    normals.reduce<Vec3>((s, n) => add(s, n), [0, 0, 0]),
    1 / normals.length,
  );
  if (!(length(mean) > 1e-6) || !(size > 1e-9)) return undefined;
  const up = unit(mean);
  if (normals.every((n) => angleBetween(n, up) < LEAN)) return opening(planeOf(points, middle, up, size), spots, size);
  // the axis: normals differ least along it
  const C = [0, 1, 2].map((i) => [0, 1, 2].map((j) => normals.reduce((s, n) => s + (n[i] - mean[i]) * (n[j] - mean[j]), 0)));
  const { values, axes } = symmetric3(C);
  const order = [0, 1, 2].sort((i, j) => values[i] - values[j]);
  // two directions without spread: no axis can be told
  if (values[order[1]] < 1e-4 * normals.length) return undefined;
  const axis = unit(axes[order[0]]);
  const c = dot(axis, mean);
  if (Math.abs(c) > 0.98 || normals.some((n) => Math.abs(dot(n, axis) - c) > LEAN)) return undefined;
  return opening(turnedOf(spots, axis, c, size), spots, size);
}
/** The shape when the ways into the opening lead to the inside of the rim in it, and not out of it. */
function opening(shape: ExactShape | undefined, spots: readonly Spot[], size: number): ExactShape | undefined {
  if (!shape) return undefined;
  const polygon = spots.flatMap((s) => {
    const q = shape.inverse(s.point);
    return q ? [[q[0], q[1]] as const] : [];
  });
  if (polygon.length < spots.length || polygonCrossing(polygon)) return undefined;
  const inside = insidePolygon(polygon);
  let [into, all] = [0, 0];
  for (const s of spots) {
    const q = s.away && s.normal && shape.inverse(add(s.point, scale(s.away, 0.005 * size)));
    if (!q) continue;
    all++;
    if (inside(q[0], q[1])) into++;
  }
  return into > 0.9 * all ? shape : undefined;
}
function planeOf(points: readonly Vec3[], middle: Vec3, z: Vec3, size: number): ExactShape | undefined {
  if (points.some((p) => Math.abs(dot(sub(p, middle), z)) > MISS * size)) return undefined;
  const x = unit(Math.abs(z[0]) < 0.8 ? cross([1, 0, 0], z) : cross([0, 1, 0], z));
  const frame: Frame = { origin: middle, x, y: cross(z, x), z };
  const flat = points.map((p) => toLocal(frame, p));
  const pad = 0.01 * size;
  const [x0, x1, y0, y1] = [0, 1].flatMap((d) => [Math.min(...flat.map((q) => q[d])) - pad, Math.max(...flat.map((q) => q[d])) + pad]);
  const corner = (a: number, b: number) => add(middle, add(scale(frame.x, a), scale(frame.y, b)));
  const net = [
    [corner(x0, y0), corner(x0, y1)],
    [corner(x1, y0), corner(x1, y1)],
  ];
  return {
    surface: makeSurface(1, 1, net, [x0, x0, x1, x1], [y0, y0, y1, y1]),
    frame,
    inverse: (p) => {
      const q = toLocal(frame, p);
      return [q[0], q[1]];
    },
  };
}
/** A straight line turned about an axis: places are o + h axis + (r0 + k h) n, with n the normal's part square to the axis. */
function turnedOf(spots: readonly Spot[], axis: Vec3, c: number, size: number): ExactShape | undefined {
  const x = unit(Math.abs(axis[0]) < 0.8 ? cross([1, 0, 0], axis) : cross([0, 1, 0], axis));
  const y = cross(axis, x);
  const k = -c / Math.sqrt(1 - c * c);
  const rows = spots.map(({ point: p, normal: n }) => {
    const l = n ? Math.hypot(dot(n, x), dot(n, y)) : 0;
    return { p: [dot(p, x), dot(p, y), dot(p, axis)], n: n && [dot(n, x) / l, dot(n, y) / l] };
  });
  // least squares of (o, r0): p - k h n = o + r0 n
  const A = new Float64Array(9);
  const B = new Float64Array(3);
  for (const { p, n } of rows)
    for (let d = 0; n && d < 2; d++) {
      const row = d === 0 ? [1, 0, n[0]] : [0, 1, n[1]];
      const value = p[d] - k * p[2] * n[d];
      for (let i = 0; i < 3; i++) {
        B[i] += row[i] * value;
        for (let j = 0; j < 3; j++) A[3 * i + j] += row[i] * row[j];
      }
    }
  if (!solveDense(A, B, 3, 1)) return undefined;
  const [ox, oy, r0] = B;
  const radius = (h: number) => r0 + k * h;
  const off = ({ p, n }: (typeof rows)[number]) =>
    n
      ? Math.hypot(p[0] - ox - radius(p[2]) * n[0], p[1] - oy - radius(p[2]) * n[1])
      : Math.abs(Math.hypot(p[0] - ox, p[1] - oy) - Math.abs(radius(p[2])));
  if (rows.some((r) => off(r) > MISS * size)) return undefined;
  // angles unrolled along the ring: they come back to their start
  const side = Math.sign(radius(rows[0].p[2]));
  if (rows.some(({ p }) => Math.sign(radius(p[2])) !== side || Math.abs(radius(p[2])) < 1e-3 * size)) return undefined;
  const raw = rows.map(({ p }) => Math.atan2(p[1] - oy, p[0] - ox));
  const step = (a: number, b: number) => Math.atan2(Math.sin(b - a), Math.cos(b - a));
  const angles = [raw[0]];
  for (let i = 1; i < raw.length; i++) angles.push(angles[i - 1] + step(raw[i - 1], raw[i]));
  if (Math.abs(angles[angles.length - 1] + step(raw[raw.length - 1], raw[0]) - angles[0]) > 1e-6) return undefined;
  const [a0, a1] = [Math.min(...angles), Math.max(...angles)];
  const heights = rows.map(({ p }) => p[2]);
  const [h0, h1] = [Math.min(...heights), Math.max(...heights)];
  const pad = 0.01 * Math.min(a1 - a0, 1);
  if (a1 - a0 + 2 * pad > (340 * Math.PI) / 180 || !(h1 - h0 > 1e-6 * size)) return undefined;
  const [from, to] = [h0 - 0.01 * (h1 - h0), h1 + 0.01 * (h1 - h0)];
  if (Math.sign(radius(from)) !== side || Math.sign(radius(to)) !== side) return undefined;
  const arc = (h: number) => {
    const origin = add(add(scale(x, ox), scale(y, oy)), scale(axis, h));
    const r = Math.abs(radius(h));
    return smoothArc({ origin, x, y, z: axis }, r, r, a0 - pad, a1 + pad);
  };
  const surface = ruledSurface(arc(from), arc(to));
  const mid = (a0 + a1) / 2;
  const [u0, u1] = [surface.knotsU[0], surface.knotsU[surface.knotsU.length - 1]];
  return {
    surface,
    inverse: (p) => {
      const a = mid + step(mid, Math.atan2(dot(p, y) - oy, dot(p, x) - ox));
      return [
        Math.min(u1, Math.max(u0, u0 + ((u1 - u0) * (a - a0 + pad)) / (a1 - a0 + 2 * pad))),
        Math.min(1, Math.max(0, (dot(p, axis) - from) / (to - from))),
      ];
    },
  };
}
