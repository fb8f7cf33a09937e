import { curvatureHeight, flowHeight } from '../brep/index.ts';
import { dot, gaussRule, length, solveSymmetricBanded, type Vec3 } from '../math/index.ts';
import { basisDerivatives, evaluateSurface, findSpan, greville, knotRuns, type NurbsSurface, surfaceNormal } from '../nurbs/index.ts';
import { compatibleSurfaces } from './gordon.ts';
import { type BehindSide, missedAlong, type Side, sideFirst } from './match-side.ts';

export interface HeldSide {
  readonly side: Side;
  readonly behind: BehindSide;
  readonly grade: 1 | 2 | 3;
}
export interface HoldOptions {
  /** Parameters of inner curves that must stay: u for curves of constant u. */
  readonly u: readonly number[];
  readonly v: readonly number[];
  /** Sides whose border must stay; all four by default. */
  readonly fixed?: readonly Side[];
  /** Sides whose border should stay where nothing forces it away. */
  readonly near?: readonly Side[];
  readonly aim?: { readonly kink: number; readonly step: number };
  /** Most control points of the displacement in one direction. */
  readonly most?: number;
}
const SIDES: readonly Side[] = ['u0', 'u1', 'v0', 'v1'];

/**
 * Moves a surface along its own normals, as little and as evenly as possible, so that it meets its neighbours on several sides at once, with
 * borders and inner curves kept: a height field over the parameters, least squares on tangent and curvature rows at the sides and third
 * derivatives inside (banded Cholesky), re-linearised; knots are added where a side still misses. Degree 5.
 */
export function holdSides(
  base: NurbsSurface,
  sides: readonly HeldSide[],
  o: HoldOptions,
): { surface: NurbsSurface; moved: number; rounds: number } {
  const aim = o.aim ?? { kink: 0.004, step: 0.3 };
  const most = o.most ?? 44;
  const inner = (knots: Float64Array, degree: number) => knotRuns(knots, degree).values.slice(1, -1);
  const range = (k: Float64Array, d: number) => [k[d], k[k.length - d - 1]] as const;
  const [u0, u1] = range(base.knotsU, base.degreeU);
  const [v0, v1] = range(base.knotsV, base.degreeV);
  const seeded = (own: number[], a: number, b: number, marks: readonly number[]) => {
    const even = Array.from({ length: 7 }, (_, i) => {
      // closer to the ends, where the conditions are
      const x = (i + 1) / 8;
      return a + (b - a) * (x - (0.6 * Math.sin(2 * Math.PI * x)) / (2 * Math.PI));
    });
    const out: number[] = [];
    for (const x of [...own, ...marks.filter((m) => m > a + 1e-9 && m < b - 1e-9), ...even].sort((p, q) => p - q))
      if (!out.length || x - out[out.length - 1] > 0.02 * (b - a)) out.push(x);
    return out.slice(0, most - 6);
  };
  let ku = seeded(inner(base.knotsU, base.degreeU), u0, u1, o.u);
  let kv = seeded(inner(base.knotsV, base.degreeV), v0, v1, o.v);
  let surface = base;
  let moved = 0;
  let rounds = 0;
  for (; rounds < 6; rounds++) {
    const space = { knotsU: clamp(u0, ku, u1), knotsV: clamp(v0, kv, v1) };
    let current = base;
    const heights = new Float64Array((ku.length + 6) * (kv.length + 6));
    moved = 0;
    for (let pass = 0; pass < 3; pass++) {
      const step = solveHeights(current, base, sides, o, space, heights);
      if (!step) break;
      heights.set(step.heights);
      current = step.surface;
      moved = Math.max(moved, step.moved);
    }
    surface = current;
    const [du, dv] = [new Set<number>(), new Set<number>()];
    for (const h of sides) {
      const t = sideFirst(surface, h.side);
      for (const x of missedAlong(t.surface, h.behind, h.grade, aim)) {
        (h.side[0] === 'u' ? dv : du).add(x);
      }
    }
    if (!du.size && !dv.size) break;
    const grow = (list: number[], miss: Set<number>, a: number, b: number) => {
      const all = [a, ...list, b];
      const next = [...list];
      for (let i = 0; i + 1 < all.length; i++)
        if ([...miss].some((x) => x > all[i] && x < all[i + 1]) && all[i + 1] - all[i] > 0.004 * (b - a))
          next.push((all[i] + all[i + 1]) / 2);
      return next.sort((x, y) => x - y);
    };
    const [nu, nv] = [grow(ku, du, u0, u1), grow(kv, dv, v0, v1)];
    if ((nu.length === ku.length && nv.length === kv.length) || nu.length + 6 > most || nv.length + 6 > most) break;
    [ku, kv] = [nu, nv];
  }
  return { surface, moved, rounds };
}
const clamp = (a: number, inner: readonly number[], b: number) =>
  Float64Array.from([...Array<number>(6).fill(a), ...inner, ...Array<number>(6).fill(b)]);

interface Space {
  readonly knotsU: Float64Array;
  readonly knotsV: Float64Array;
}
function solveHeights(
  current: NurbsSurface,
  base: NurbsSurface,
  sides: readonly HeldSide[],
  o: HoldOptions,
  space: Space,
  before: Float64Array,
): { surface: NurbsSurface; heights: Float64Array; moved: number } | undefined {
  const p = 5;
  const gu = greville(space.knotsU, p);
  const gv = greville(space.knotsV, p);
  const [nu, nv] = [gu.length, gv.length];
  // directions: normals of the base at the control points' own places
  const dir = new Float64Array(nu * nv * 3);
  for (let i = 0; i < nu; i++) for (let j = 0; j < nv; j++) dir.set(surfaceNormal(base, gu[i], gv[j]), (i * nv + j) * 3);
  const fixed = o.fixed ?? SIDES;
  const held = (i: number, j: number) =>
    (i === 0 && fixed.includes('u0')) ||
    (i === nu - 1 && fixed.includes('u1')) ||
    (j === 0 && fixed.includes('v0')) ||
    (j === nv - 1 && fixed.includes('v1'));
  const index = new Int32Array(nu * nv).fill(-1);
  let n = 0;
  for (let i = 0; i < nu; i++) for (let j = 0; j < nv; j++) if (!held(i, j)) index[i * nv + j] = n++;
  if (!n) return undefined;
  const half = Math.min(n - 1, p * nv + p);
  const w = half + 1;
  const A = new Float64Array(n * w);
  const B = new Float64Array(n);
  const add = (list: readonly [number, number][], rhs: number, weight: number) => {
    for (const [i, x] of list) {
      B[i] += weight * x * rhs;
      for (const [j, y] of list) if (j <= i) A[i * w + half - i + j] += weight * x * y;
    }
  };
  const size =
    length([
      base.control[0] - base.control[base.control.length - 4],
      base.control[1] - base.control[base.control.length - 3],
      base.control[2] - base.control[base.control.length - 2],
    ]) || 1;
  // evenness of the whole height field: third derivatives
  const [U, V] = [gramsOf(space.knotsU, p), gramsOf(space.knotsV, p)];
  const eps = 1e-9 / (size * size);
  for (let i = 0; i < nu; i++)
    for (let j = 0; j < nv; j++) {
      const a = index[i * nv + j];
      if (a < 0) continue;
      for (let k = Math.max(0, i - p); k <= Math.min(nu - 1, i + p); k++)
        for (let l = Math.max(0, j - p); l <= Math.min(nv - 1, j + p); l++) {
          const b = index[k * nv + l];
          const energy =
            U[3][i * nu + k] * V[0][j * nv + l] +
            3 * U[2][i * nu + k] * V[1][j * nv + l] +
            3 * U[1][i * nu + k] * V[2][j * nv + l] +
            U[0][i * nu + k] * V[3][j * nv + l] +
            1e-3 * U[0][i * nu + k] * V[0][j * nv + l];
          if (b >= 0) {
            if (b <= a) A[a * w + half - a + b] += eps * energy;
            // heights found so far count in the energy as a whole
            B[a] -= eps * energy * before[k * nv + l];
          }
        }
    }
  const bu = new Float64Array(4 * (p + 1));
  const bv = new Float64Array(4 * (p + 1));
  const jet = new Float64Array(48);
  /** Rows of N · (derivative of the displacement) at a place. */
  const row = (u: number, v: number, du: number, dv: number, normal: Vec3): [number, number][] => {
    const su = findSpan(space.knotsU, p, u);
    const sv = findSpan(space.knotsV, p, v);
    basisDerivatives(space.knotsU, p, su, u, 3, bu);
    basisDerivatives(space.knotsV, p, sv, v, 3, bv);
    const out: [number, number][] = [];
    for (let a = 0; a <= p; a++)
      for (let b = 0; b <= p; b++) {
        const k = (su - p + a) * nv + sv - p + b;
        const i = index[k];
        if (i < 0) continue;
        const x =
          bu[du * (p + 1) + a] * bv[dv * (p + 1) + b] * (dir[3 * k] * normal[0] + dir[3 * k + 1] * normal[1] + dir[3 * k + 2] * normal[2]);
        if (x !== 0) out.push([i, x]);
      }
    return out;
  };
  const samples = (knots: Float64Array, per: number) => {
    const { values } = knotRuns(knots, p);
    const out: number[] = [];
    for (let i = 0; i + 1 < values.length; i++)
      for (let k = 0; k < per; k++) out.push(values[i] + ((values[i + 1] - values[i]) * (k + 0.5)) / per);
    return [values[0], ...out, values[values.length - 1]];
  };
  const [a0, a1] = [space.knotsU[0], space.knotsU[space.knotsU.length - 1]];
  const [c0, c1] = [space.knotsV[0], space.knotsV[space.knotsV.length - 1]];
  for (const h of sides) {
    const isU = h.side[0] === 'u';
    const place = h.side === 'u0' ? a0 : h.side === 'u1' ? a1 : h.side === 'v0' ? c0 : c1;
    for (const t of samples(isU ? space.knotsV : space.knotsU, 6)) {
      const [u, v] = isU ? [place, t] : [t, place];
      evaluateSurface(current, u, v, 3, jet);
      // order 3: derivatives by v at 1, 2, 3, by u at 4, 8, 12
      const at = (k: number): Vec3 => [jet[3 * k], jet[3 * k + 1], jet[3 * k + 2]];
      const [d1, d2, d3] = isU ? [at(4), at(8), at(12)] : [at(1), at(2), at(3)];
      const j = h.behind(at(0), isU ? at(1) : at(4));
      const speed = Math.max(1e-9, length(d1));
      add(row(u, v, isU ? 1 : 0, isU ? 0 : 1, j.normal), -dot(j.normal, d1), 1 / (speed * speed));
      if (h.grade >= 2) {
        const flat: Vec3 = d1.map((x, k) => x - dot(d1, j.normal) * j.normal[k]) as unknown as Vec3;
        add(row(u, v, isU ? 2 : 0, isU ? 0 : 2, j.normal), curvatureHeight(j, flat) - dot(j.normal, d2), (0.01 * size * size) / speed ** 4);
      }
      if (h.grade >= 3) {
        const wanted = flowHeight(j, d1, d2) - dot(j.normal, d3);
        add(row(u, v, isU ? 3 : 0, isU ? 0 : 3, j.normal), wanted, (1e-4 * size ** 4) / speed ** 6);
      }
    }
  }
  for (const [list, isU] of [
    [o.u, true],
    [o.v, false],
  ] as const)
    for (const place of list)
      for (const t of samples(isU ? space.knotsV : space.knotsU, 3)) {
        const [u, v] = isU ? [place, t] : [t, place];
        evaluateSurface(current, u, v, 0, jet);
        const q: Vec3 = [jet[0], jet[1], jet[2]];
        evaluateSurface(base, u, v, 0, jet);
        const normal = surfaceNormal(base, u, v);
        add(row(u, v, 0, 0, normal), dot(normal, [jet[0] - q[0], jet[1] - q[1], jet[2] - q[2]]), 1e5 / (size * size));
      }
  for (const side of o.near ?? []) {
    const isU = side[0] === 'u';
    const place = side === 'u0' ? a0 : side === 'u1' ? a1 : side === 'v0' ? c0 : c1;
    for (const t of samples(isU ? space.knotsV : space.knotsU, 3)) {
      const [u, v] = isU ? [place, t] : [t, place];
      const normal = surfaceNormal(base, u, v);
      evaluateSurface(current, u, v, 0, jet);
      const q: Vec3 = [jet[0], jet[1], jet[2]];
      evaluateSurface(base, u, v, 0, jet);
      add(row(u, v, 0, 0, normal), dot(normal, [jet[0] - q[0], jet[1] - q[1], jet[2] - q[2]]), 1e-2 / (size * size));
    }
  }
  for (let i = 0; i < n; i++) A[i * w + half] += 1e-16 * (1 + A[i * w + half]);
  if (!solveSymmetricBanded(A, B, n, half)) return undefined;
  const heights = new Float64Array(before);
  const control = new Float64Array(nu * nv * 4);
  let moved = 0;
  for (let k = 0; k < nu * nv; k++) {
    if (index[k] >= 0) heights[k] += B[index[k]];
    moved = Math.max(moved, Math.abs(heights[k]));
    for (let d = 0; d < 3; d++) control[4 * k + d] = heights[k] * dir[3 * k + d];
    control[4 * k + 3] = 1;
  }
  const shift: NurbsSurface = {
    degreeU: p,
    degreeV: p,
    knotsU: space.knotsU,
    knotsV: space.knotsV,
    countU: nu,
    countV: nv,
    control,
    rational: false,
  };
  const [x, y] = compatibleSurfaces(onUnit(base, shift));
  const sum = Float64Array.from(x.control, (c, i) => (i % 4 === 3 ? 1 : c + y.control[i]));
  const back = { ...x, control: sum };
  // the sum is made over 0..1; parameters go back to the base's own
  const map = (k: Float64Array, a: number, b: number) => k.map((t) => a + (b - a) * t);
  return { surface: { ...back, knotsU: map(back.knotsU, a0, a1), knotsV: map(back.knotsV, c0, c1) }, heights, moved };
}
const onUnit = (a: NurbsSurface, b: NurbsSurface): NurbsSurface[] =>
  [a, b].map((s) => {
    const unit = (k: Float64Array) => k.map((t) => (t - k[0]) / (k[k.length - 1] - k[0]));
    return { ...s, knotsU: unit(s.knotsU), knotsV: unit(s.knotsV) };
  });
/** Integrals of products of k-th derivatives of the basis, k = 0..3. */
export function gramsOf(knots: Float64Array, p: number): Float64Array[] {
  const n = knots.length - p - 1;
  const out = [0, 1, 2, 3].map(() => new Float64Array(n * n));
  const { values } = knotRuns(knots, p);
  const { nodes, weights } = gaussRule(p + 1);
  const b = new Float64Array(4 * (p + 1));
  for (let i = 0; i + 1 < values.length; i++) {
    const h = (values[i + 1] - values[i]) / 2;
    for (let q = 0; q < nodes.length; q++) {
      const t = values[i] + h * (1 + nodes[q]);
      const span = findSpan(knots, p, t);
      basisDerivatives(knots, p, span, t, 3, b);
      for (let k = 0; k < 4; k++)
        for (let x = 0; x <= p; x++)
          for (let y = 0; y <= p; y++)
            out[k][(span - p + x) * n + span - p + y] += weights[q] * h * b[k * (p + 1) + x] * b[k * (p + 1) + y];
    }
  }
  return out;
}
