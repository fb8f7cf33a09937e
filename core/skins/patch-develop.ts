import {
  add,
  cross,
  dot,
  type Frame,
  frameFromNormal,
  insidePolygon,
  length,
  polygonBox,
  polygonCrossing,
  scale,
  solveSymmetricBanded,
  sub,
  toLocal,
  unit,
  type Vec3,
} from '../math/index.ts';
import { basisDerivatives, clampedKnots, findSpan, greville, interpolateInSpace, type NurbsSurface, surfaceJet } from '../nurbs/index.ts';
import type { Spot } from './patch-rim.ts';

export interface Developed {
  readonly base: NurbsSurface;
  readonly directions: NurbsSurface;
  /** Parameters of a place of the rim. */
  readonly start: (side: number, share: number) => readonly [number, number];
}
const P = 5;
const K = 11;

/**
 * A coarse surface that follows the neighbours into an opening, to build a patch over where no plane or ball will do: the rim is developed
 * into the plane (its turning in the tangent planes kept, what is missing to a full turn spread by length), and a spline over that is drawn
 * through the rim in the neighbours' directions with the least third derivatives. Undefined where that folds.
 */
export function developed(spots: readonly Spot[], area: Vec3): Developed | undefined {
  const rim = unroll(spots) ?? flat(spots, area);
  if (!rim) return undefined;
  for (const plan of [rim, flat(spots, area)]) {
    if (!plan) continue;
    const base = drawn(spots, plan);
    if (!base) continue;
    // the directions are the base's own normals, as a spline
    const directions = normalsOf(base);
    if (!directions || !sound(base, directions, spots, plan)) continue;
    const at = new Map<number, { share: number; x: readonly [number, number] }[]>();
    spots.forEach((s, i) => {
      const list = at.get(s.side) ?? [];
      list.push({ share: s.share, x: plan[i] });
      at.set(s.side, list);
    });
    for (const l of at.values()) l.sort((a, b) => a.share - b.share);
    return {
      base,
      directions,
      start: (side, share) => {
        const l = at.get(side) ?? [];
        let i = 0;
        while (i + 2 < l.length && l[i + 1].share < share) i++;
        const [a, b] = [l[i], l[Math.min(l.length - 1, i + 1)]];
        const f = b.share > a.share ? (share - a.share) / (b.share - a.share) : 0;
        return [a.x[0] + f * (b.x[0] - a.x[0]), a.x[1] + f * (b.x[1] - a.x[1])];
      },
    };
  }
  return undefined;
}
type Plan = readonly (readonly [number, number])[];

/** The rim as a plane curve that turns as it turns in the skins beside it. */
function unroll(spots: readonly Spot[]): Plan | undefined {
  const n = spots.length;
  const steps = spots.map((s, i) => length(sub(spots[(i + 1) % n].point, s.point)));
  const total = steps.reduce((a, b) => a + b, 0);
  // turning from one place to the next, about the normal there
  const turns = spots.map((s, i) => {
    const t = spots[(i + 1) % n];
    const a = s.normal ?? t.normal;
    const b = t.normal ?? s.normal;
    if (!a || !b) return 0;
    const m = unit(add(a, b));
    const flatOn = (v: Vec3) => sub(v, scale(m, dot(v, m)));
    const [p, q] = [flatOn(s.tangent), flatOn(t.tangent)];
    return Math.atan2(dot(cross(p, q), m), dot(p, q));
  });
  const sum = turns.reduce((a, b) => a + b, 0);
  const missing = 2 * Math.PI - sum;
  let angle = 0;
  let [x, y] = [0, 0];
  const out: [number, number][] = [];
  for (let i = 0; i < n; i++) {
    out.push([x, y]);
    const turn = turns[i] + (missing * steps[i]) / total;
    // a corner turns at once, a stretch half before and half after
    x += steps[i] * Math.cos(angle + turn / 2);
    y += steps[i] * Math.sin(angle + turn / 2);
    angle += turn;
  }
  const gap = Math.hypot(x, y);
  if (gap > 0.2 * total) return undefined;
  let done = 0;
  const closed = out.map((p, i): readonly [number, number] => {
    const f = done / total;
    done += steps[i];
    return [p[0] - f * x, p[1] - f * y];
  });
  return polygonCrossing(closed) ? undefined : closed;
}
function flat(spots: readonly Spot[], area: Vec3): Plan | undefined {
  if (length(area) < 1e-12) return undefined;
  const f: Frame = frameFromNormal(spots[0].point, unit(area));
  const out = spots.map((s): readonly [number, number] => {
    const q = toLocal(f, s.point);
    return [q[0], q[1]];
  });
  return polygonCrossing(out) ? undefined : out;
}
/** The spline through the rim, leaving it in the neighbours' directions, with the least third derivatives. */
function drawn(spots: readonly Spot[], plan: Plan): NurbsSurface | undefined {
  const [x0, x1, y0, y1] = polygonBox(plan);
  const pad = 0.02 * Math.max(x1 - x0, y1 - y0);
  const range = (a: number, b: number) => clampedKnots(K, P).map((k) => a - pad + (b - a + 2 * pad) * k);
  const [kx, ky] = [range(x0, x1), range(y0, y1)];
  const n = K * K;
  const half = P * K + P;
  const w = half + 1;
  const A = new Float64Array(n * w);
  const B = [new Float64Array(n), new Float64Array(n), new Float64Array(n)];
  const bx = new Float64Array(4 * (P + 1));
  const by = new Float64Array(4 * (P + 1));
  const row = new Float64Array((P + 1) ** 2);
  const index = new Int32Array((P + 1) ** 2);
  const at = (x: number, y: number) => {
    const [sx, sy] = [findSpan(kx, P, x), findSpan(ky, P, y)];
    basisDerivatives(kx, P, sx, x, 3, bx);
    basisDerivatives(ky, P, sy, y, 3, by);
    for (let a = 0; a <= P; a++) for (let c = 0; c <= P; c++) index[a * (P + 1) + c] = (sx - P + a) * K + sy - P + c;
  };
  const fill = (i: number, j: number, f: number, keep: boolean) => {
    for (let a = 0; a <= P; a++)
      for (let c = 0; c <= P; c++) {
        const v = f * bx[i * (P + 1) + a] * by[j * (P + 1) + c];
        row[a * (P + 1) + c] = keep ? row[a * (P + 1) + c] + v : v;
      }
  };
  const put = (weight: number, value?: Vec3) => {
    for (let a = 0; a < row.length; a++) {
      const f = weight * row[a];
      if (f === 0) continue;
      const i = index[a];
      for (let c = 0; c <= a; c++) A[i * w + half - i + index[c]] += f * row[c];
      if (value) for (let d = 0; d < 3; d++) B[d][i] += f * value[d];
    }
  };
  const cell = Math.max((x1 - x0) / (K - P), (y1 - y0) / (K - P));
  const W = 1e4 / spots.length;
  spots.forEach((s, i) => {
    const [x, y] = plan[i];
    at(x, y);
    fill(0, 0, 1, false);
    put(W, s.point);
    if (!s.away) return;
    const [p, q] = [plan[(i + spots.length - 1) % spots.length], plan[(i + 1) % spots.length]];
    const t = [q[0] - p[0], q[1] - p[1]];
    const l = Math.hypot(t[0], t[1]) || 1;
    // the rim runs anticlockwise: its inside is to the left
    fill(1, 0, -t[1] / l, false);
    fill(0, 1, t[0] / l, true);
    put(0.3 * W * cell * cell, s.away);
  });
  const gauss = [0.5 - Math.sqrt(1 / 12), 0.5 + Math.sqrt(1 / 12)];
  const cells = K - P;
  const f = cell ** 4 / (4 * cells * cells);
  for (let i = 0; i < cells; i++)
    for (let j = 0; j < cells; j++)
      for (const gx of gauss)
        for (const gy of gauss) {
          at(kx[P + i] + gx * (kx[P + i + 1] - kx[P + i]), ky[P + j] + gy * (ky[P + j + 1] - ky[P + j]));
          for (const [a, c, m] of [
            [3, 0, 1],
            [2, 1, 3],
            [1, 2, 3],
            [0, 3, 1],
          ]) {
            fill(a, c, 1, false);
            put(f * m * cell * cell);
          }
        }
  for (let i = 0; i < n; i++) A[i * w + half] *= 1 + 1e-12;
  const control = new Float64Array(4 * n);
  for (let d = 0; d < 3; d++) {
    if (!solveSymmetricBanded(A.slice(), B[d], n, half)) return undefined;
    for (let i = 0; i < n; i++) control[4 * i + d] = B[d][i];
  }
  for (let i = 0; i < n; i++) control[4 * i + 3] = 1;
  return { degreeU: P, degreeV: P, knotsU: kx, knotsV: ky, countU: K, countV: K, control, rational: false };
}
function normalsOf(base: NurbsSurface): NurbsSurface | undefined {
  const [gx, gy] = [greville(base.knotsU, P), greville(base.knotsV, P)];
  const values = new Float64Array(K * K * 4);
  gx.forEach((x, i) => {
    gy.forEach((y, j) => {
      values.set(surfaceJet(base, x, y).normal, 4 * (i * K + j));
      values[4 * (i * K + j) + 3] = 1;
    });
  });
  const first = interpolateInSpace(P, base.knotsU, gx, values, 4 * K);
  if (!first) return undefined;
  const turned = new Float64Array(values.length);
  for (let i = 0; i < K; i++)
    for (let j = 0; j < K; j++) turned.set(first.data.subarray(4 * (i * K + j), 4 * (i * K + j) + 4), 4 * (j * K + i));
  const second = interpolateInSpace(P, base.knotsV, gy, turned, 4 * K);
  if (!second) return undefined;
  const control = new Float64Array(values.length);
  for (let j = 0; j < K; j++)
    for (let i = 0; i < K; i++) control.set(second.data.subarray(4 * (j * K + i), 4 * (j * K + i) + 4), 4 * (i * K + j));
  return { ...base, control };
}
/** No fold inside, and directions that do not lie in the skins beside the rim. */
function sound(base: NurbsSurface, directions: NurbsSurface, spots: readonly Spot[], plan: Plan): boolean {
  const inside = insidePolygon(plan);
  const [x0, x1, y0, y1] = polygonBox(plan);
  let [least, most] = [Infinity, 0];
  for (let i = 1; i < 16; i++)
    for (let j = 1; j < 16; j++) {
      const [x, y] = [x0 + ((x1 - x0) * i) / 16, y0 + ((y1 - y0) * j) / 16];
      if (!inside(x, y)) continue;
      const b = surfaceJet(base, x, y);
      const area = length(cross(b.u, b.v));
      const d = surfaceJet(directions, x, y).point;
      if (dot(d, b.normal) < 0.5) return false;
      least = Math.min(least, area);
      most = Math.max(most, area);
    }
  if (!(least > 0.03 * most)) return false;
  let lean = 0;
  spots.forEach((s, i) => {
    if (!s.normal) return;
    const d = unit(surfaceJet(directions, plan[i][0], plan[i][1]).point);
    lean = Math.max(lean, Math.acos(Math.min(1, Math.abs(dot(d, s.normal)))));
  });
  return lean < (45 * Math.PI) / 180;
}
