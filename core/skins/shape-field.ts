import { dot, type Frame, solveSymmetricBanded, sub, type Vec3 } from '../math/index.ts';
import {
  basisDerivatives,
  clipNet,
  closestOnSurface,
  domainU,
  domainV,
  findSpan,
  greville,
  type NurbsSurface,
  remapSurface,
  surfaceNormal,
  surfacePoint,
  transpose,
} from '../nurbs/index.ts';
import { compatibleSurfaces } from './gordon.ts';
import { gramsOf } from './hold.ts';

export interface ShapeOptions {
  /** Rows of control points that stay at u = start and u = end: one more than the derivatives that must not change. */
  readonly keep: readonly [number, number];
  readonly closedV: boolean;
  /** Planes in which the ends at v = start and v = end lie, running square into them. */
  readonly mirror: readonly [Frame | undefined, Frame | undefined];
  /** mm */
  readonly tolerance: number;
}
export interface Shaped {
  readonly surface: NurbsSurface;
  /** Largest way from a place asked for to the surface, mm. */
  readonly miss: number;
  readonly missAt: Vec3;
  readonly moved: number;
}
const P = 5;

/**
 * Moves a polynomial surface along its own normals, as evenly as possible, until it passes through the places given; what it does at
 * u = start and u = end stays, up to the derivatives kept. A height field of degree 5, least squares with third derivatives as energy,
 * feet looked for anew in every pass; knots are doubled while a place is missed.
 */
export function passThrough(given: NurbsSurface, places: readonly Vec3[], o: ShapeOptions): Shaped {
  const base = remapSurface(given, 0, 1, 0, 1);
  let best: Shaped | undefined;
  for (const [ku, kv] of [
    [5, 8],
    [8, 16],
    [12, 28],
  ]) {
    const r = field(base, places, o, ku, kv);
    if (!r) break;
    if (!best || r.miss < best.miss) best = r;
    if (r.miss <= o.tolerance) break;
  }
  const found = best ?? { surface: base, miss: Infinity, missAt: places[0], moved: 0 };
  const [u, v] = [domainU(given), domainV(given)];
  return { ...found, surface: remapSurface(found.surface, u[0], u[1], v[0], v[1]) };
}
const uniform = (spans: number) =>
  Float64Array.from([...Array<number>(P).fill(0), ...Array.from({ length: spans + 1 }, (_, i) => i / spans), ...Array<number>(P).fill(1)]);
/** Unclamped uniform knots for a basis that repeats. */
const repeating = (spans: number) => Float64Array.from({ length: spans + 2 * P + 1 }, (_, i) => (i - P) / spans);

function field(base: NurbsSurface, places: readonly Vec3[], o: ShapeOptions, spansU: number, spansV: number): Shaped | undefined {
  const ku = uniform(spansU);
  const kv = o.closedV ? repeating(spansV) : uniform(spansV);
  const nu = spansU + P;
  const nv = spansV + P;
  const gu = greville(ku, P);
  const gv = Array.from(greville(kv, P), (t) => (o.closedV ? t - Math.floor(t) : t));
  const dir = new Float64Array(nu * nv * 3);
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) dir.set(surfaceNormal(base, gu[i], Math.min(1, Math.max(0, gv[j]))), 3 * (i * nv + j));
  // unknowns: free rows; columns repeat where closed, and the second follows the first where it ends in a mirror
  const column = (j: number): number => {
    if (o.closedV) return j % spansV;
    if (o.mirror[0] && j === 1) return 0;
    if (o.mirror[1] && j === nv - 2) return nv - 1;
    return j;
  };
  if (!o.closedV)
    for (let i = 0; i < nu; i++)
      for (const e of [0, 1] as const) {
        const plane = o.mirror[e];
        if (!plane) continue;
        const [own, next] = e ? [nv - 1, nv - 2] : [0, 1];
        const n: Vec3 = [dir[3 * (i * nv + own)], dir[3 * (i * nv + own) + 1], dir[3 * (i * nv + own) + 2]];
        const off = dot(n, plane.z);
        const flat = n.map((x, d) => x - off * plane.z[d]);
        const l = Math.hypot(...flat) || 1;
        for (const j of [own, next])
          dir.set(
            flat.map((x) => x / l),
            3 * (i * nv + j),
          );
      }
  const cols = o.closedV ? spansV : nv;
  const rowsFree = nu - o.keep[0] - o.keep[1];
  if (rowsFree < 1) return undefined;
  const fold = Int32Array.from({ length: cols }, (_, j) => (o.closedV ? (2 * j < cols ? 2 * j : 2 * (cols - 1 - j) + 1) : j));
  const index = (i: number, j: number): number => {
    const r = i - o.keep[0];
    return r < 0 || r >= rowsFree ? -1 : r * cols + fold[column(j)];
  };
  const n = rowsFree * cols;
  const half = Math.min(n - 1, P * cols + (o.closedV ? cols - 1 : P + 1));
  const w = half + 1;
  const [U, V] = [gramsOf(ku, P), gramsOf(kv, P)];
  const fixed = new Float64Array(n * w);
  const put = (A: Float64Array, a: number, b: number, x: number) => {
    if (b <= a) A[a * w + half - a + b] += x;
  };
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) {
      const a = index(i, j);
      if (a < 0) continue;
      for (let k = Math.max(0, i - P); k <= Math.min(nu - 1, i + P); k++)
        for (let l = Math.max(0, j - P); l <= Math.min(nv - 1, j + P); l++) {
          const b = index(k, l);
          if (b < 0) continue;
          const e =
            U[3][i * nu + k] * V[0][j * nv + l] +
            3 * U[2][i * nu + k] * V[1][j * nv + l] +
            3 * U[1][i * nu + k] * V[2][j * nv + l] +
            U[0][i * nu + k] * V[3][j * nv + l] +
            1e-3 * U[0][i * nu + k] * V[0][j * nv + l];
          put(fixed, a, b, 1e-9 * e);
        }
    }
  const heights = new Float64Array(n);
  const bu = new Float64Array(P + 1);
  const bv = new Float64Array(P + 1);
  let current = base;
  let feet: (readonly [number, number])[] | undefined;
  let miss = Infinity;
  let missAt = places[0];
  for (let pass = 0; pass < 6; pass++) {
    const A = fixed.slice();
    const B = new Float64Array(n);
    const found: (readonly [number, number])[] = [];
    places.forEach((p, q) => {
      const foot = closestOnSurface(current, p, feet?.[q]);
      found.push([foot.u, foot.v]);
      const normal = surfaceNormal(current, foot.u, foot.v);
      const want = dot(normal, sub(p, surfacePoint(base, foot.u, foot.v)));
      const v = o.closedV ? Math.min(1 - 1e-12, foot.v) : foot.v;
      const [su, sv] = [findSpan(ku, P, foot.u), o.closedV ? Math.min(spansV - 1, Math.floor(v * spansV)) + P : findSpan(kv, P, v)];
      basisDerivatives(ku, P, su, foot.u, 0, bu);
      basisDerivatives(kv, P, sv, v, 0, bv);
      const list: [number, number][] = [];
      for (let a = 0; a <= P; a++)
        for (let b = 0; b <= P; b++) {
          const [i, j] = [su - P + a, sv - P + b];
          const at = index(i, j);
          if (at < 0) continue;
          const k = 3 * (i * nv + j);
          list.push([at, bu[a] * bv[b] * (dir[k] * normal[0] + dir[k + 1] * normal[1] + dir[k + 2] * normal[2])]);
        }
      for (const [a, x] of list) {
        B[a] += x * want;
        for (const [b, y] of list) put(A, a, b, x * y);
      }
    });
    feet = found;
    for (let i = 0; i < n; i++) A[i * w + half] += 1e-14 * (1e-9 + A[i * w + half]);
    if (!solveSymmetricBanded(A, B, n, half)) return undefined;
    heights.set(B);
    current = moved(base, heights);
    let worst = 0;
    let at = places[0];
    for (const [q, p] of places.entries()) {
      const f = closestOnSurface(current, p, feet[q]);
      if (f.distance > worst) [worst, at] = [f.distance, p];
    }
    const done = worst > 0.7 * miss && pass > 1;
    [miss, missAt] = [worst, at];
    if (worst < 0.02 * o.tolerance || done) break;
  }
  return { surface: current, miss, missAt, moved: heights.reduce((m, x) => Math.max(m, Math.abs(x)), 0) };

  function moved(s: NurbsSurface, h: Float64Array): NurbsSurface {
    const control = new Float64Array(nu * nv * 4);
    for (let i = 0; i < nu; i++)
      for (let j = 0; j < nv; j++) {
        const a = index(i, j);
        const k = i * nv + j;
        for (let d = 0; d < 3; d++) control[4 * k + d] = a < 0 ? 0 : h[a] * dir[3 * k + d];
        control[4 * k + 3] = 1;
      }
    let shift: NurbsSurface = { degreeU: P, degreeV: P, knotsU: ku, knotsV: kv, countU: nu, countV: nv, control, rational: false };
    if (o.closedV) {
      const t = transpose(shift);
      const clipped = clipNet({ degree: P, knots: kv, data: t.control, stride: nu * 4 }, 0, 1);
      shift = transpose({ ...t, knotsU: clipped.knots, countU: clipped.data.length / (nu * 4), control: clipped.data });
    }
    const [x, y] = compatibleSurfaces([s, shift]);
    return { ...x, control: Float64Array.from(x.control, (c, i) => (i % 4 === 3 ? 1 : c + y.control[i])) };
  }
}
