import {
  add,
  along,
  anyPerpendicular,
  cross,
  dot,
  length,
  scale,
  scatter,
  solveDense,
  sub,
  symmetric3,
  unit,
  type Vec3,
} from '../math/index.ts';

/** What a region of a scan is, with its largest and usual distance (mm) over the points given. */
export type Shape = (
  | { readonly kind: 'plane'; readonly origin: Vec3; readonly normal: Vec3 }
  | { readonly kind: 'sphere'; readonly centre: Vec3; readonly radius: number }
  | { readonly kind: 'cylinder'; readonly origin: Vec3; readonly axis: Vec3; readonly radius: number }
  | { readonly kind: 'cone'; readonly apex: Vec3; readonly axis: Vec3; readonly angle: number }
  | { readonly kind: 'revolved'; readonly origin: Vec3; readonly axis: Vec3 }
  | { readonly kind: 'extruded'; readonly direction: Vec3 }
) & { readonly rms: number; readonly worst: number };

const meanOf = (list: readonly Vec3[]): Vec3 => scale(list.reduce(add, [0, 0, 0] as Vec3), 1 / list.length);
const errors = (list: readonly number[]) => ({
  rms: Math.sqrt(list.reduce((s, e) => s + e * e, 0) / list.length),
  worst: list.reduce((m, e) => Math.max(m, Math.abs(e)), 0),
});

export function fitPlane(points: readonly Vec3[]): Shape & { kind: 'plane' } {
  const origin = meanOf(points);
  const normal = symmetric3(scatter(points.map((p) => sub(p, origin)))).axes[0];
  return { kind: 'plane', origin, normal, ...errors(points.map((p) => dot(sub(p, origin), normal))) };
}
export function fitSphere(points: readonly Vec3[]): (Shape & { kind: 'sphere' }) | undefined {
  const c = meanOf(points);
  // |p|^2 = 2 p.m + k, then a few Gauss-Newton steps on the true distances
  const A = new Float64Array(16);
  const B = new Float64Array(4);
  for (const q of points) {
    const p = sub(q, c);
    const r = [2 * p[0], 2 * p[1], 2 * p[2], 1];
    const b = dot(p, p);
    for (let i = 0; i < 4; i++) {
      for (let j = 0; j < 4; j++) A[4 * i + j] += r[i] * r[j];
      B[i] += r[i] * b;
    }
  }
  if (!solveDense(A, B, 4, 1)) return undefined;
  let centre: Vec3 = add(c, [B[0], B[1], B[2]]);
  let radius = Math.sqrt(Math.max(0, B[3] + B[0] ** 2 + B[1] ** 2 + B[2] ** 2));
  if (!Number.isFinite(radius) || radius > 1e6) return undefined;
  for (let k = 0; k < 6; k++) {
    const H = new Float64Array(16);
    const g = new Float64Array(4);
    for (const p of points) {
      const d = sub(p, centre);
      const l = length(d) || 1;
      const J = [-d[0] / l, -d[1] / l, -d[2] / l, -1];
      const e = l - radius;
      for (let i = 0; i < 4; i++) {
        for (let j = 0; j < 4; j++) H[4 * i + j] += J[i] * J[j];
        g[i] -= J[i] * e;
      }
    }
    if (!solveDense(H, g, 4, 1)) break;
    centre = add(centre, [g[0], g[1], g[2]]);
    radius += g[3];
  }
  return { kind: 'sphere', centre, radius, ...errors(points.map((p) => length(sub(p, centre)) - radius)) };
}
/** Least squares by numeric derivatives (Gauss-Newton with damping) of signed distances. */
function polish(
  start: readonly number[],
  residual: (x: readonly number[], p: Vec3) => number,
  points: readonly Vec3[],
  rounds = 20,
): number[] {
  let x = [...start];
  const n = x.length;
  const cost = (y: readonly number[]) => points.reduce((s, p) => s + residual(y, p) ** 2, 0);
  let now = cost(x);
  let damping = 1e-6;
  for (let k = 0; k < rounds; k++) {
    const H = new Float64Array(n * n);
    const g = new Float64Array(n);
    const h = x.map((v) => 1e-6 * (1 + Math.abs(v)));
    for (const p of points) {
      const e = residual(x, p);
      const J = x.map((v, i) => {
        const y = [...x];
        y[i] = v + h[i];
        return (residual(y, p) - e) / h[i];
      });
      for (let i = 0; i < n; i++) {
        for (let j = 0; j < n; j++) H[i * n + j] += J[i] * J[j];
        g[i] -= J[i] * e;
      }
    }
    for (let i = 0; i < n; i++) H[i * n + i] *= 1 + damping;
    if (!solveDense(H, g, n, 1)) break;
    const next = x.map((v, i) => v + g[i]);
    const after = cost(next);
    if (after < now) {
      const better = now - after;
      x = next;
      now = after;
      damping = Math.max(1e-12, damping / 10);
      if (better < 1e-14 * (1 + now)) break;
    } else damping = Math.max(1e-6, damping * 100);
    if (damping > 1e8) break;
  }
  return x;
}
/** Every so many points, so that fits of a dozen numbers stay quick. */
const thinned = (points: readonly Vec3[], most = 1500): readonly Vec3[] => {
  const step = Math.max(1, Math.floor(points.length / most));
  return step === 1 ? points : points.filter((_, i) => i % step === 0);
};
/** A direction from two angles about a start. */
const leaned = (axis: Vec3, a: number, b: number): Vec3 => {
  const x = anyPerpendicular(axis);
  const y = cross(axis, x);
  return unit(add(axis, add(scale(x, a), scale(y, b))));
};
export function fitCylinder(points: readonly Vec3[], normals: readonly Vec3[]): (Shape & { kind: 'cylinder' }) | undefined {
  const axis0 = symmetric3(scatter(normals)).axes[0];
  const c = meanOf(points);
  const [x, y] = [anyPerpendicular(axis0), cross(axis0, anyPerpendicular(axis0))];
  // circle in the plane across the axis
  const A = new Float64Array(9);
  const B = new Float64Array(3);
  for (const q of points) {
    const p = sub(q, c);
    const r = [2 * dot(p, x), 2 * dot(p, y), 1];
    const b = dot(p, x) ** 2 + dot(p, y) ** 2;
    for (let i = 0; i < 3; i++) {
      for (let j = 0; j < 3; j++) A[3 * i + j] += r[i] * r[j];
      B[i] += r[i] * b;
    }
  }
  if (!solveDense(A, B, 3, 1)) return undefined;
  const radius0 = Math.sqrt(Math.max(0, B[2] + B[0] ** 2 + B[1] ** 2));
  if (!Number.isFinite(radius0) || radius0 > 1e5 || radius0 < 1e-6) return undefined;
  const origin0 = add(c, add(scale(x, B[0]), scale(y, B[1])));
  const off = (v: readonly number[], p: Vec3) => {
    const axis = leaned(axis0, v[0], v[1]);
    const d = sub(p, add(origin0, add(scale(x, v[2]), scale(y, v[3]))));
    return length(along(d, axis, -dot(d, axis))) - v[4];
  };
  const v = polish([0, 0, 0, 0, radius0], off, thinned(points));
  const axis = leaned(axis0, v[0], v[1]);
  const base = add(origin0, add(scale(x, v[2]), scale(y, v[3])));
  return {
    kind: 'cylinder',
    axis,
    origin: along(base, axis, dot(sub(c, base), axis)),
    radius: v[4],
    ...errors(points.map((p) => off(v, p))),
  };
}
export function fitCone(points: readonly Vec3[], normals: readonly Vec3[]): (Shape & { kind: 'cone' }) | undefined {
  // tangent planes meet in the apex; normals make one angle with the axis
  const A = new Float64Array(9);
  const B = new Float64Array(3);
  const c = meanOf(points);
  normals.forEach((n, k) => {
    const h = dot(n, sub(points[k], c));
    for (let i = 0; i < 3; i++) {
      for (let j = 0; j < 3; j++) A[3 * i + j] += n[i] * n[j];
      B[i] += n[i] * h;
    }
  });
  if (!solveDense(A, B, 3, 1)) return undefined;
  const apex0 = add(c, [B[0], B[1], B[2]]);
  const m = meanOf(normals);
  const axis1 = symmetric3(scatter(normals.map((n) => sub(n, m)))).axes[0];
  const axis0 = dot(sub(c, apex0), axis1) < 0 ? scale(axis1, -1) : axis1;
  const angleOf = (p: Vec3) => {
    const d = sub(p, apex0);
    return Math.atan2(length(cross(d, axis0)), dot(d, axis0));
  };
  const angle0 = points.reduce((s, p) => s + angleOf(p), 0) / points.length;
  if (!(angle0 > 0.02 && angle0 < 1.55)) return undefined;
  const off = (v: readonly number[], p: Vec3) => {
    const axis = leaned(axis0, v[0], v[1]);
    const d = sub(p, add(apex0, [v[2], v[3], v[4]]));
    const h = dot(d, axis);
    return length(along(d, axis, -h)) * Math.cos(v[5]) - h * Math.sin(v[5]);
  };
  const v = polish([0, 0, 0, 0, 0, angle0], off, thinned(points));
  return {
    kind: 'cone',
    apex: add(apex0, [v[2], v[3], v[4]]),
    axis: leaned(axis0, v[0], v[1]),
    angle: v[5],
    ...errors(points.map((p) => off(v, p))),
  };
}
/**
 * Axis of a surface of revolution: all normals meet it, so they lie in one linear line complex (Pottmann & Wallner 2001, ch. 3). The fourth
 * order system is solved by its smallest eigenvector; how far normals miss the axis tells whether there is one.
 */
export function fitAxis(points: readonly Vec3[], normals: readonly Vec3[]): { origin: Vec3; axis: Vec3; miss: number } | undefined {
  const c = meanOf(points);
  const size = Math.sqrt(points.reduce((s, p) => s + dot(sub(p, c), sub(p, c)), 0) / points.length) || 1;
  const rows = points.map((p, k) => {
    const q = scale(sub(p, c), 1 / size);
    const moment = cross(q, normals[k]);
    return [...normals[k], ...moment];
  });
  // minimise sum (cbar.g + c.gbar)^2 subject to |c| = 1: (cbar, c) against (g, gbar)
  const N = Array.from({ length: 6 }, (_, i) => Array.from({ length: 6 }, (_, j) => rows.reduce((s, r) => s + r[i] * r[j], 0)));
  const part = (a: number, b: number) => [0, 1, 2].map((i) => [0, 1, 2].map((j) => N[3 * a + i][3 * b + j]));
  const [P, Q, R] = [part(0, 0), part(0, 1), part(1, 1)];
  // cbar = -P^-1 Q c; c is the smallest eigenvector of R - Q' P^-1 Q
  const A = Float64Array.from(P.flat());
  for (let i = 0; i < 3; i++) A[4 * i] += 1e-12 * rows.length;
  const X = Float64Array.from(Q.flat());
  if (!solveDense(A, X, 3, 3)) return undefined;
  const S = [0, 1, 2].map((i) => [0, 1, 2].map((j) => R[i][j] - [0, 1, 2].reduce((s, k) => s + Q[k][i] * X[3 * k + j], 0)));
  const { axes, values } = symmetric3(S.map((r, i) => r.map((x, j) => (x + S[j][i]) / 2)));
  const axis = axes[0];
  const cbar: Vec3 = [0, 1, 2].map((i) => -[0, 1, 2].reduce((s, k) => s + X[3 * i + k] * axis[k], 0)) as unknown as Vec3;
  // the moment square to the axis gives the place
  const moment = along(cbar, axis, -dot(cbar, axis));
  const origin = add(c, scale(cross(axis, moment), size));
  return { origin, axis, miss: Math.sqrt(Math.max(0, values[0]) / rows.length) * size };
}

/** Distances of a profile: radius over height about an axis, or flat places across a direction, against a smooth curve through their means. */
export function spreadOver(pairs: readonly (readonly [number, number])[], bins: number): { rms: number; worst: number } {
  const lows = pairs.reduce((m, p) => Math.min(m, p[0]), Infinity);
  const highs = pairs.reduce((m, p) => Math.max(m, p[0]), -Infinity);
  const groups: (readonly [number, number])[][] = Array.from({ length: bins }, () => []);
  for (const p of pairs) groups[Math.min(bins - 1, Math.floor(((p[0] - lows) / Math.max(1e-12, highs - lows)) * bins))].push(p);
  const offs: number[] = [];
  for (const g of groups) {
    if (g.length < 4) continue;
    // a parabola in each strip
    const c = g.reduce((s, p) => s + p[0], 0) / g.length;
    const A = new Float64Array(9);
    const B = new Float64Array(3);
    for (const [x, y] of g) {
      const r = [1, x - c, (x - c) ** 2];
      for (let i = 0; i < 3; i++) {
        for (let j = 0; j < 3; j++) A[3 * i + j] += r[i] * r[j];
        B[i] += r[i] * y;
      }
    }
    for (let i = 0; i < 3; i++) A[4 * i] += 1e-12;
    if (!solveDense(A, B, 3, 1)) continue;
    for (const [x, y] of g) offs.push((y - B[0] - B[1] * (x - c) - B[2] * (x - c) ** 2) / Math.hypot(1, B[1] + 2 * B[2] * (x - c)));
  }
  return offs.length ? errors(offs) : { rms: Infinity, worst: Infinity };
}

/** The simplest shape that the points lie on within the tolerance (95 of 100 of them, the rest within three times). */
export function recognise(points: readonly Vec3[], normals: readonly Vec3[], tolerance: number): Shape | undefined {
  const good = (s: { rms: number; worst: number } | undefined) => !!s && s.rms < tolerance / 2 && s.worst < 3 * tolerance;
  const plane = fitPlane(points);
  if (good(plane)) return plane;
  const bends = symmetric3(scatter(normals.map((n) => sub(n, meanOf(normals)))));
  // a region that hardly turns tells nothing about axes
  if (bends.values[2] / normals.length < 1e-4) return undefined;
  const sphere = fitSphere(points);
  if (good(sphere)) return sphere;
  const cylinder = fitCylinder(points, normals);
  if (good(cylinder)) return cylinder;
  const cone = fitCone(points, normals);
  if (good(cone)) return cone;
  const spread = symmetric3(scatter(normals));
  if (Math.sqrt(spread.values[0] / normals.length) < 0.05) {
    const direction = spread.axes[0];
    const x = spread.axes[2];
    const y = cross(direction, x);
    const r = spreadOver(
      points.map((p) => [dot(p, y), dot(p, x)] as const),
      24,
    );
    if (good(r)) return { kind: 'extruded', direction, ...r };
  }
  const line = fitAxis(points, normals);
  if (line) {
    const r = spreadOver(
      points.map((p) => {
        const d = sub(p, line.origin);
        const h = dot(d, line.axis);
        return [h, length(along(d, line.axis, -h))] as const;
      }),
      24,
    );
    if (good(r)) return { kind: 'revolved', origin: line.origin, axis: line.axis, ...r };
  }
  return undefined;
}
