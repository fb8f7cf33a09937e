import {
  type Body,
  type BodyBuilder,
  type EdgeUse,
  type Face,
  orderChain,
  topologyOf,
  tracePoint,
  traceTangent,
  useUV,
} from '../brep/index.ts';
import {
  cross,
  dot,
  type Frame,
  frameFromNormal,
  length,
  scale,
  solveSymmetricBanded,
  sub,
  toLocal,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  basisDerivatives,
  clampedKnots,
  curveInFrame,
  findSpan,
  greville,
  makeSurface,
  type NurbsSurface,
  surfaceJet,
  surfaceNormal,
} from '../nurbs/index.ts';

/** Continuity that the patch is given along an edge. */
export type PatchGrade = 0 | 1 | 2;

export interface PatchEdge {
  readonly edge: number;
  readonly reversed: boolean;
  /** The face on the other side; without one only position can be met. */
  readonly neighbour?: { readonly face: Face; readonly use: EdgeUse };
  readonly grade: PatchGrade;
}
export interface PatchResult {
  readonly surface: NurbsSurface;
  readonly frame: Frame;
  /** Largest misses at points between those that were fitted: mm, degrees, and step of the curvature across (share). */
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  /** What each edge was given after neighbours that lean too far were let go. */
  readonly grades: readonly PatchGrade[];
}
export type PatchOutcome =
  | { readonly ok: true; readonly result: PatchResult }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };

interface Sample {
  readonly x: number;
  readonly y: number;
  readonly z: number;
  /** Unit normal of the projected boundary. */
  readonly d: readonly [number, number];
  /** Slope and second derivative of the neighbour along d, when asked for. */
  readonly slope?: number;
  readonly bend?: number;
  readonly place: Vec3;
  readonly edge: number;
}

/** Neighbours that lean more than this from the patch's plane can be met in position only (degrees). */
export const LEAN_LIMIT = 60;
const DEGREE = 5;

/**
 * One trimmed surface over an n-sided opening, as a height field over the plane that fits best: minimum variation of curvature under
 * position, slope and curvature conditions sampled on the boundary; all conditions are linear in the heights (weighted least squares,
 * banded normal equations, curvature terms frozen from the last pass). Knots are made denser until the seams are met.
 * Sources: Moreton & Séquin 1992 (energy); our own notes for weights and sampling.
 */
export function patchOpening(
  b: { readonly edges: Body['edges'] },
  ring: readonly PatchEdge[],
  target: { gap: number; kink: number; step: number },
): PatchOutcome {
  const frame = planeFor(b, ring);
  if (!frame) return { ok: false, message: 'the opening encloses no area' };
  const grades = ring.map((r): PatchGrade => {
    if (!r.neighbour || r.grade === 0) return 0;
    const [a, z] = b.edges[r.edge].range;
    for (let i = 0; i <= 16; i++) {
      const [u, v] = useUV(r.neighbour.face, r.neighbour.use, a + ((z - a) * i) / 16);
      if (Math.abs(dot(surfaceNormal(r.neighbour.face.surface, u, v), frame.z)) < Math.cos((LEAN_LIMIT * Math.PI) / 180)) return 0;
    }
    return r.grade;
  });
  const polygon = outline(b, ring, frame);
  const fold = selfCrossing(polygon);
  if (fold)
    return {
      ok: false,
      message: 'seen square on, the rim crosses itself: divide the opening with a curve first',
      place: along2(frame, fold),
    };
  const counts = ring.map(() => 64);
  let best: PatchResult | undefined;
  for (const K of [12, 16, 22, 30, 40]) {
    const fitted = boundarySamples(b, ring, grades, frame, counts, 0);
    const heights = solveHeights(K, polygon, fitted, grades);
    if (!heights) continue;
    const checked = boundarySamples(
      b,
      ring,
      grades,
      frame,
      counts.map((c) => c - 7),
      0.5,
    );
    const surface = surfaceOf(heights, frame);
    const miss = missesOf(heights, checked);
    const result: PatchResult = { surface, frame, grades, ...miss };
    const better = !best || (miss.gap <= best.gap && miss.kink <= best.kink * 1.05);
    if (better) best = result;
    if (miss.gap <= target.gap && miss.kink <= target.kink && miss.step <= target.step) break;
    counts.forEach((c, i) => {
      counts[i] = Math.max(c, 4 * K);
    });
  }
  return best ? { ok: true, result: best } : { ok: false, message: 'the opening could not be filled' };
}

const along2 = (f: Frame, p: readonly [number, number]): Vec3 =>
  [0, 1, 2].map((k) => f.origin[k] + f.x[k] * p[0] + f.y[k] * p[1]) as unknown as Vec3;

/** The plane seen from which the rim encloses the most area, turned to the smallest rectangle. */
function planeFor(b: { readonly edges: Body['edges'] }, ring: readonly PatchEdge[]): Frame | undefined {
  const pts: Vec3[] = [];
  for (const r of ring) {
    const e = b.edges[r.edge];
    for (let i = 0; i < 48; i++) {
      const k = r.reversed ? 1 - i / 48 : i / 48;
      pts.push(tracePoint(e, e.range[0] + (e.range[1] - e.range[0]) * k));
    }
  }
  const c = scale(
    pts.reduce<Vec3>((s, p) => [s[0] + p[0], s[1] + p[1], s[2] + p[2]], [0, 0, 0]),
    1 / pts.length,
  );
  let n: Vec3 = [0, 0, 0];
  pts.forEach((p, i) => {
    const q = cross(sub(p, c), sub(pts[(i + 1) % pts.length], c));
    n = [n[0] + q[0], n[1] + q[1], n[2] + q[2]];
  });
  if (length(n) < 1e-12) return undefined;
  const start = frameFromNormal(c, unit(n));
  let best: { area: number; frame: Frame } | undefined;
  for (let k = 0; k < 45; k++) {
    const a = (k * Math.PI) / 90;
    const x = [0, 1, 2].map((d) => start.x[d] * Math.cos(a) + start.y[d] * Math.sin(a)) as unknown as Vec3;
    const frame: Frame = { origin: c, x, y: cross(start.z, x), z: start.z };
    const flat = pts.map((p) => toLocal(frame, p));
    const span = (d: number) => Math.max(...flat.map((p) => p[d])) - Math.min(...flat.map((p) => p[d]));
    const area = span(0) * span(1);
    if (!best || area < best.area * (1 - 1e-9)) best = { area, frame };
  }
  return best?.frame;
}

function outline(b: { readonly edges: Body['edges'] }, ring: readonly PatchEdge[], frame: Frame): [number, number][] {
  return ring.flatMap((r) => {
    const e = b.edges[r.edge];
    return Array.from({ length: 40 }, (_, i): [number, number] => {
      const k = r.reversed ? 1 - i / 40 : i / 40;
      const p = toLocal(frame, tracePoint(e, e.range[0] + (e.range[1] - e.range[0]) * k));
      return [p[0], p[1]];
    });
  });
}
function selfCrossing(poly: readonly (readonly [number, number])[]): [number, number] | undefined {
  const n = poly.length;
  const side = (a: readonly [number, number], b: readonly [number, number], c: readonly [number, number]) =>
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  for (let i = 0; i < n; i++)
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [a, b, c, d] = [poly[i], poly[(i + 1) % n], poly[j], poly[(j + 1) % n]];
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return [a[0], a[1]];
    }
  return undefined;
}

/** Samples cosine-distributed towards the ends of each edge; `shift` moves them between the fitted ones. */
function boundarySamples(
  b: { readonly edges: Body['edges'] },
  ring: readonly PatchEdge[],
  grades: readonly PatchGrade[],
  frame: Frame,
  counts: readonly number[],
  shift: number,
): Sample[] {
  const out: Sample[] = [];
  ring.forEach((r, m) => {
    const e = b.edges[r.edge];
    const n = counts[m];
    for (let i = 0; i < n; i++) {
      const k = (1 - Math.cos((Math.PI * (i + (shift || 0.25))) / (n - 0.5 + (shift ? 0.5 : 0)))) / 2;
      const t = e.range[0] + (e.range[1] - e.range[0]) * Math.min(1, k);
      const [p, tangent] = traceTangent(e, t);
      const q = toLocal(frame, p);
      const tx = dot(tangent, frame.x);
      const ty = dot(tangent, frame.y);
      const l = Math.hypot(tx, ty) || 1;
      const d = [-ty / l, tx / l] as const;
      let slope: number | undefined;
      let bend: number | undefined;
      if (grades[m] > 0 && r.neighbour) {
        const { face, use } = r.neighbour;
        const j = surfaceJet(face.surface, ...useUV(face, use, t));
        const loc = (v: Vec3) => [dot(v, frame.x), dot(v, frame.y), dot(v, frame.z)];
        const [U, V] = [loc(j.u), loc(j.v)];
        const det = U[0] * V[1] - U[1] * V[0];
        // J = [[U0, V0], [U1, V1]]; gradient = J^-T (Uz, Vz)
        const gx = (V[1] * U[2] - U[1] * V[2]) / det;
        const gy = (-V[0] * U[2] + U[0] * V[2]) / det;
        slope = d[0] * gx + d[1] * gy;
        if (grades[m] > 1) {
          const second = [loc(j.uu), loc(j.uv), loc(j.vv)].map((s) => s[2] - gx * s[0] - gy * s[1]);
          // J^-1 d as parameter direction
          const a = (V[1] * d[0] - V[0] * d[1]) / det;
          const c = (-U[1] * d[0] + U[0] * d[1]) / det;
          bend = a * a * second[0] + 2 * a * c * second[1] + c * c * second[2];
        }
      }
      out.push({ x: q[0], y: q[1], z: q[2], d, slope, bend, place: p, edge: r.edge });
    }
  });
  return out;
}

interface Heights {
  readonly knotsX: Float64Array;
  readonly knotsY: Float64Array;
  readonly count: number;
  readonly h: Float64Array;
}

/** Values of the (DEGREE+1)² products of basis functions and their derivatives at a point. */
class Stencil {
  private readonly bx = new Float64Array(4 * (DEGREE + 1));
  private readonly by = new Float64Array(4 * (DEGREE + 1));
  first = 0;
  constructor(
    private readonly kx: Float64Array,
    private readonly ky: Float64Array,
    private readonly count: number,
  ) {}
  at(x: number, y: number): void {
    const sx = findSpan(this.kx, DEGREE, x);
    const sy = findSpan(this.ky, DEGREE, y);
    basisDerivatives(this.kx, DEGREE, sx, x, 3, this.bx);
    basisDerivatives(this.ky, DEGREE, sy, y, 3, this.by);
    this.first = (sx - DEGREE) * this.count + sy - DEGREE;
  }
  /** Row of d^(i+j)/dx^i dy^j for the local functions. */
  row(i: number, j: number, out: Float64Array): void {
    const w = DEGREE + 1;
    for (let a = 0; a < w; a++) for (let c = 0; c < w; c++) out[a * w + c] = this.bx[i * w + a] * this.by[j * w + c];
  }
  index(local: number): number {
    const w = DEGREE + 1;
    return this.first + Math.floor(local / w) * this.count + (local % w);
  }
}

function solveHeights(
  K: number,
  polygon: readonly (readonly [number, number])[],
  samples: readonly Sample[],
  grades: readonly PatchGrade[],
): Heights | undefined {
  const w = DEGREE + 1;
  const local = w * w;
  const [x0, x1, y0, y1] = polygon.reduce(
    (r, p) => [Math.min(r[0], p[0]), Math.max(r[1], p[0]), Math.min(r[2], p[1]), Math.max(r[3], p[1])],
    [Infinity, -Infinity, Infinity, -Infinity],
  );
  const pad = 0.002 * Math.max(x1 - x0, y1 - y0);
  const span = (a: number, b: number) => clampedKnots(K, DEGREE).map((k) => a - pad + (b - a + 2 * pad) * k);
  const knotsX = span(x0, x1);
  const knotsY = span(y0, y1);
  const cells = K - DEGREE;
  const cell = Math.max((x1 - x0) / cells, (y1 - y0) / cells);
  const n = K * K;
  const half = DEGREE * K + DEGREE;
  const stencil = new Stencil(knotsX, knotsY, K);
  const smooth = grades.some((g) => g > 0);
  const rows = Array.from({ length: 10 }, () => new Float64Array(local));
  const add = (A: Float64Array, B: Float64Array | undefined, row: Float64Array, weight: number, value: number) => {
    for (let a = 0; a < local; a++) {
      const f = weight * row[a];
      if (f === 0) continue;
      const i = stencil.index(a);
      for (let c = 0; c <= a; c++) A[i * (half + 1) + half - (i - stencil.index(c))] += f * row[c];
      if (B) B[i] += f * value;
    }
  };
  // conditions on the boundary do not change between passes
  const fixedA = new Float64Array(n * (half + 1));
  const fixedB = new Float64Array(n);
  const W = 1e7 / samples.length;
  const turned = new Float64Array(local);
  for (const s of samples) {
    stencil.at(s.x, s.y);
    stencil.row(0, 0, rows[0]);
    add(fixedA, fixedB, rows[0], W, s.z);
    if (s.slope !== undefined) {
      stencil.row(1, 0, rows[1]);
      stencil.row(0, 1, rows[2]);
      for (let a = 0; a < local; a++) turned[a] = s.d[0] * rows[1][a] + s.d[1] * rows[2][a];
      add(fixedA, fixedB, turned, W * cell ** 2, s.slope);
    }
    if (s.bend !== undefined) {
      stencil.row(2, 0, rows[1]);
      stencil.row(1, 1, rows[2]);
      stencil.row(0, 2, rows[3]);
      for (let a = 0; a < local; a++) turned[a] = s.d[0] ** 2 * rows[1][a] + 2 * s.d[0] * s.d[1] * rows[2][a] + s.d[1] ** 2 * rows[3][a];
      add(fixedA, fixedB, turned, W * cell ** 4, s.bend);
    }
  }
  const inside = insideTest(polygon);
  const gauss = [0.5 - Math.sqrt(1 / 12), 0.5 + Math.sqrt(1 / 12)];
  let h: Float64Array | undefined;
  const passes = smooth ? 4 : 1;
  for (let pass = 0; pass < passes; pass++) {
    const A = fixedA.slice();
    const B = fixedB.slice();
    for (let i = 0; i < cells; i++)
      for (let j = 0; j < cells; j++)
        for (const gx of gauss)
          for (const gy of gauss) {
            const x = knotsX[DEGREE + i] + gx * (knotsX[DEGREE + i + 1] - knotsX[DEGREE + i]);
            const y = knotsY[DEGREE + j] + gy * (knotsY[DEGREE + j + 1] - knotsY[DEGREE + j]);
            const share = (inside(x, y) ? 1 : 1e-3) / (4 * cells * cells);
            stencil.at(x, y);
            if (!smooth) {
              // position only: a thin plate, which keeps flat things flat
              [
                [2, 0, 1],
                [1, 1, 2],
                [0, 2, 1],
              ].forEach(([a, c, m]) => {
                stencil.row(a, c, rows[0]);
                add(A, undefined, rows[0], share * m * cell ** 4, 0);
              });
              continue;
            }
            curvatureVariation(stencil, rows, h, (row, m) => add(A, undefined, row, share * m * cell ** 6, 0), pass > 0);
          }
    if (!solveSymmetricBanded(A, B, n, half)) return undefined;
    h = B;
  }
  return h && { knotsX, knotsY, count: K, h };
}

/** Rows of the derivative of curvature at the stencil's point, frozen at heights h; plain third derivatives in the first pass. */
function curvatureVariation(
  stencil: Stencil,
  rows: Float64Array[],
  h: Float64Array | undefined,
  emit: (row: Float64Array, weight: number) => void,
  frozen: boolean,
): void {
  const local = (DEGREE + 1) ** 2;
  const [h20, h11, h02, h30, h21, h12, h03, out] = rows;
  stencil.row(3, 0, h30);
  stencil.row(2, 1, h21);
  stencil.row(1, 2, h12);
  stencil.row(0, 3, h03);
  if (!frozen || !h) {
    emit(h30, 1);
    emit(h21, 3);
    emit(h12, 3);
    emit(h03, 1);
    return;
  }
  stencil.row(2, 0, h20);
  stencil.row(1, 1, h11);
  stencil.row(0, 2, h02);
  const value = (row: Float64Array) => {
    let s = 0;
    for (let a = 0; a < local; a++) s += row[a] * h[stencil.index(a)];
    return s;
  };
  const [xx, xy, yy] = [value(h20), value(h11), value(h02)];
  stencil.row(1, 0, rows[8]);
  stencil.row(0, 1, rows[9]);
  const g = [value(rows[8]), value(rows[9])];
  const H = [
    [xx, xy],
    [xy, yy],
  ];
  const w2 = 1 + g[0] ** 2 + g[1] ** 2;
  const w = Math.sqrt(w2);
  const wk = [0, 1].map((k) => (g[0] * H[0][k] + g[1] * H[1][k]) / w);
  // r_kij = h_ijk/w - h_ij w_k/w² - Gamma^l_ki h_lj/w - Gamma^l_kj h_il/w, linear in h with w and Gamma frozen
  const gamma = (l: number, i: number, j: number) => (H[i][j] * g[l]) / w2;
  const second = (i: number, j: number) => (i + j === 0 ? h20 : i + j === 1 ? h11 : h02);
  const third = (s: number) => [h30, h21, h12, h03][s];
  const r: Record<string, Float64Array> = {};
  for (const k of [0, 1])
    for (const i of [0, 1])
      for (const j of [0, 1]) {
        const row = new Float64Array(local);
        const t = third(k + i + j);
        const s = second(i, j);
        for (let a = 0; a < local; a++) {
          let v = t[a] / w - (s[a] * wk[k]) / w2;
          for (const l of [0, 1]) v -= (gamma(l, k, i) * second(l, j)[a] + gamma(l, k, j) * second(i, l)[a]) / w;
          row[a] = v;
        }
        r[`${k}${i}${j}`] = row;
      }
  // orthonormal tangent frame E = g^-1/2 (symmetric square root of the inverse metric)
  const q = (1 / w - 1) / (w2 - 1 || 1);
  const E =
    w2 - 1 < 1e-14
      ? [
          [1, 0],
          [0, 1],
        ]
      : [
          [1 + q * g[0] * g[0], q * g[0] * g[1]],
          [q * g[0] * g[1], 1 + q * g[1] * g[1]],
        ];
  for (const [A, B, C, m] of [
    [0, 0, 0, 1],
    [0, 0, 1, 3],
    [0, 1, 1, 3],
    [1, 1, 1, 1],
  ]) {
    out.fill(0);
    for (const k of [0, 1])
      for (const i of [0, 1])
        for (const j of [0, 1]) {
          const f = E[A][k] * E[B][i] * E[C][j];
          const row = r[`${k}${i}${j}`];
          for (let a = 0; a < local; a++) out[a] += f * row[a];
        }
    emit(out, m * w);
  }
}

function insideTest(poly: readonly (readonly [number, number])[]): (x: number, y: number) => boolean {
  return (x, y) => {
    let odd = false;
    for (let i = 0, j = poly.length - 1; i < poly.length; j = i++)
      if (poly[i][1] > y !== poly[j][1] > y && x < ((poly[j][0] - poly[i][0]) * (y - poly[i][1])) / (poly[j][1] - poly[i][1]) + poly[i][0])
        odd = !odd;
    return odd;
  };
}

function missesOf(H: Heights, samples: readonly Sample[]): { gap: number; kink: number; step: number } {
  const stencil = new Stencil(H.knotsX, H.knotsY, H.count);
  const row = new Float64Array((DEGREE + 1) ** 2);
  const value = (i: number, j: number) => {
    stencil.row(i, j, row);
    let s = 0;
    for (let a = 0; a < row.length; a++) s += row[a] * H.h[stencil.index(a)];
    return s;
  };
  let [gap, kink, step] = [0, 0, 0];
  const largest = Math.max(1e-9, ...samples.map((s) => Math.abs(s.bend ?? 0)));
  for (const s of samples) {
    stencil.at(s.x, s.y);
    const g = [value(1, 0), value(0, 1)];
    gap = Math.max(gap, Math.abs(value(0, 0) - s.z) / Math.hypot(1, ...g));
    if (s.slope !== undefined) {
      const own = s.d[0] * g[0] + s.d[1] * g[1];
      kink = Math.max(kink, (Math.abs(Math.atan(own) - Math.atan(s.slope)) * 180) / Math.PI);
    }
    if (s.bend !== undefined) {
      const own = s.d[0] ** 2 * value(2, 0) + 2 * s.d[0] * s.d[1] * value(1, 1) + s.d[1] ** 2 * value(0, 2);
      step = Math.max(step, Math.abs(own - s.bend) / Math.max(Math.abs(own), Math.abs(s.bend), 0.1 * largest));
    }
  }
  return { gap, kink, step };
}

function surfaceOf(H: Heights, f: Frame): NurbsSurface {
  const gx = greville(H.knotsX, DEGREE);
  const gy = greville(H.knotsY, DEGREE);
  const points = Array.from(gx, (x, i) =>
    Array.from(
      gy,
      (y, j): Vec3 => [0, 1, 2].map((k) => f.origin[k] + x * f.x[k] + y * f.y[k] + H.h[i * H.count + j] * f.z[k]) as unknown as Vec3,
    ),
  );
  return makeSurface(DEGREE, DEGREE, points, H.knotsX, H.knotsY);
}

/**
 * Fills the closed rim chain of the builder's faces with a patch and joins it to them. Grades other than position are only asked for where
 * the neighbour leans less than LEAN_LIMIT from the patch's plane.
 */
export function patchRim(
  k: BodyBuilder,
  chain: readonly number[],
  name: string,
  grade: PatchGrade,
  target = { gap: 0.001, kink: 0.05, step: 0.02 },
): PatchOutcome {
  const ordered = orderChain(chain, k.edges);
  if (!ordered) return { ok: false, message: 'the rim is not one closed chain' };
  const body: Body = { vertices: k.vertices, edges: k.edges, faces: k.faces, shells: [], solids: [] };
  const { uses } = topologyOf(body);
  const ring = ordered.map((o): PatchEdge => {
    const ref = uses[o.edge][0];
    return { ...o, grade, neighbour: ref && { face: k.faces[ref.face], use: ref.use } };
  });
  const r = patchOpening(k, ring, target);
  if (!r.ok) return r;
  const { surface, frame } = r.result;
  // chart coordinates are the plane's own, so the images of the edges are exact
  const loop = ordered.map((o): EdgeUse => {
    const e = k.edges[o.edge];
    return { ...o, pcurve: { curve: curveInFrame(e.curve, frame), turn: e.turn } };
  });
  const first = uses[ordered[0].edge][0];
  // the rim was ordered anticlockwise seen against the frame's z, so the patch looks along z; turned over when the neighbour says so
  const reversed = first ? (first.use.reversed !== k.faces[first.face].reversed) === ordered[0].reversed : false;
  k.faces.push({ surface, loops: [loop], reversed, name, tolerance: Math.max(1e-7, r.result.gap) });
  for (const o of ordered) k.edges[o.edge] = { ...k.edges[o.edge], tolerance: Math.max(k.edges[o.edge].tolerance, 1.05 * r.result.gap) };
  return r;
}
