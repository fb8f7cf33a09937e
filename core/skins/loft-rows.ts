import { add, cross, DEG, dot, length, scale, solveDense, sub, type Vec3 } from '../math/index.ts';
import {
  averagedKnots,
  basisDerivatives,
  clampedKnots,
  clipNet,
  findSpan,
  fitFunction,
  fitPeriodic,
  interpolateInSpace,
  joinCurves,
  type NurbsCurve,
} from '../nurbs/index.ts';

import type { LoftOptions, Track } from './loft.ts';

/** All sections on one knot vector, by share of length, fitted together; kinks become full knots and meet each other when counts agree. */
export function fitRows(tracks: readonly Track[], options: LoftOptions, closed: boolean): { rows: NurbsCurve[]; deviation: number } {
  const n = tracks.length;
  const sameKinks = tracks.every((t) => t.kinks.length === tracks[0].kinks.length);
  let anchors: number[][];
  let cuts: number[];
  if (options.pins.length) {
    const pins = [...options.pins].filter((p) => p.length === n).sort((a, b) => a[0] - b[0]);
    anchors = tracks.map((_, k) => [0, ...pins.map((p) => p[k]), 1]);
    cuts = [];
  } else if (sameKinks) {
    anchors = tracks.map((t) => [0, ...t.kinks, 1]);
    cuts = tracks[0].kinks.map((_, i) => tracks.reduce((s, t) => s + t.kinks[i], 0) / n);
  } else {
    const union = [...new Set(tracks.flatMap((t) => t.kinks.map((k) => Math.round(k * 1e9) / 1e9)))].sort((a, b) => a - b);
    cuts = union.filter((k, i) => i === 0 || k - union[i - 1] > 1e-6);
    anchors = tracks.map(() => [0, ...cuts, 1]);
  }
  const common = anchors[0].map((_, i) => (i === 0 ? 0 : i === anchors[0].length - 1 ? 1 : anchors.reduce((s, a) => s + a[i], 0) / n));
  const shareOf = (k: number, s: number) => {
    const a = anchors[k];
    let i = 0;
    while (i < a.length - 2 && s > common[i + 1]) i++;
    return a[i] + ((a[i + 1] - a[i]) * (s - common[i])) / (common[i + 1] - common[i]);
  };
  const commonOf = (k: number, share: number) => {
    const a = anchors[k];
    let i = 0;
    while (i < a.length - 2 && share > a[i + 1]) i++;
    return common[i] + ((common[i + 1] - common[i]) * (share - a[i])) / (a[i + 1] - a[i]);
  };
  const bounds = [0, ...cuts, 1].filter((x, i, l) => i === 0 || x > l[i - 1]);
  const straight = tracks.every((t) => t.curve.degree === 1);
  const degree = straight ? 1 : 5;
  const eps = 1e-12;
  let deviation = 0;
  const parts = bounds.slice(1).map((b, p) => {
    const a = bounds[p];
    // closed sections without corners repeat, so their seam is as smooth as the rest
    const periodic = closed && bounds.length === 2 && tracks.every((t) => !t.startsAtKink && !t.kinks.length);
    const seeds = [
      ...common.slice(1, -1).map((t) => ({ t, multiplicity: 1 })),
      ...tracks.flatMap((t, k) => t.spans.map((x) => ({ t: commonOf(k, x.share), multiplicity: x.multiplicity }))),
    ];
    if (periodic)
      for (const t of tracks)
        if (!(t.spans.length === 0 && t.curve.degree > 3)) {
          if (t.seamShare === 0) seeds.push({ t: 0, multiplicity: 3 });
        }
    const fit = (periodic ? fitPeriodic : fitFunction)(
      (s, out) => {
        const inside = Math.min(b - eps, Math.max(a + eps, s));
        for (let k = 0; k < n; k++) out.set(tracks[k].at(closed || (s > 0 && s < 1) ? shareOf(k, inside) : s), k * 3);
      },
      a,
      b,
      3 * n,
      degree,
      options.tolerance,
      seeds,
      160,
    );
    deviation = Math.max(deviation, fit.deviation);
    return fit;
  });
  const rows = tracks.map((_, k) => {
    const curves = parts.map((f): NurbsCurve => {
      const count = f.data.length / (3 * n);
      const control = new Float64Array(count * 4);
      for (let i = 0; i < count; i++)
        control.set([f.data[i * 3 * n + 3 * k], f.data[i * 3 * n + 3 * k + 1], f.data[i * 3 * n + 3 * k + 2], 1], i * 4);
      return { dim: 3, degree, knots: f.knots, control, rational: false };
    });
    const joined = joinCurves(curves);
    if (closed) joined.control.set(joined.control.subarray(0, 4), joined.control.length - 4);
    return joined;
  });
  return { rows: rows.map((r) => ({ ...r, knots: rows[0].knots })), deviation };
}

/** Interpolates (or approximates) whole control rows across the sections. */
export function acrossRows(
  rows: readonly NurbsCurve[],
  options: LoftOptions,
): { degree: number; knots: Float64Array; data: Float64Array; at: number[] } {
  const stride = rows[0].control.length;
  const list = options.ring ? [...rows, rows[0]] : rows;
  const at = [0];
  for (let k = 1; k < list.length; k++) {
    let d = 0;
    for (let i = 0; i < stride; i += 4) {
      const [wa, wb] = [list[k - 1].control[i + 3], list[k].control[i + 3]];
      d += Math.hypot(
        list[k].control[i] / wb - list[k - 1].control[i] / wa,
        list[k].control[i + 1] / wb - list[k - 1].control[i + 1] / wa,
        list[k].control[i + 2] / wb - list[k - 1].control[i + 2] / wa,
      );
    }
    at.push(at[k - 1] + Math.max(1e-9, d));
  }
  const total = at[at.length - 1];
  const params = at.map((t) => t / total);
  const degree = Math.max(1, Math.min(options.degree, rows.length - 1));
  const data = new Float64Array(rows.length * stride);
  rows.forEach((r, i) => data.set(r.control, i * stride));
  if (options.ring) return { ...ringAcross(data, rows.length, stride, params, degree, options.fit), at: params };
  if (options.fit === 'near') return { degree, knots: clampedKnots(rows.length, degree), data, at: params };
  const knots = averagedKnots(params, degree);
  const net = interpolateInSpace(degree, knots, Float64Array.from(params), data, stride);
  if (!net) throw new Error('the sections lie on each other');
  return { degree, knots, data: net.data, at: params };
}

function ringAcross(data: Float64Array, n: number, stride: number, params: readonly number[], degree: number, fit: 'through' | 'near') {
  const base =
    fit === 'near'
      ? Array.from({ length: n }, (_, i) => i / n)
      : degree % 2
        ? params.slice(0, n)
        : Array.from({ length: n }, (_, i) => (params[i] + params[i + 1]) / 2 - (params[1] - params[0]) / 2);
  const knot = (i: number) => base[((i % n) + n) % n] + Math.floor(i / n);
  const knots = Float64Array.from({ length: n + 2 * degree + 1 }, (_, i) => knot(i - degree));
  let rows = data;
  if (fit === 'through') {
    const A = new Float64Array(n * n);
    const B = new Float64Array(data);
    const b = new Float64Array(degree + 1);
    for (let i = 0; i < n; i++) {
      const t = params[i] < knots[degree] ? params[i] + 1 : params[i];
      const span = findSpan(knots, degree, t);
      basisDerivatives(knots, degree, span, t, 0, b);
      for (let j = 0; j <= degree; j++) A[i * n + ((span - degree + j) % n)] += b[j];
    }
    if (!solveDense(A, B, n, stride)) throw new Error('the ring of sections cannot be interpolated');
    rows = B;
  }
  const wrapped = new Float64Array((n + degree) * stride);
  for (let i = 0; i < n + degree; i++) wrapped.set(rows.subarray((i % n) * stride, ((i % n) + 1) * stride), i * stride);
  const net = clipNet({ degree, knots, data: wrapped, stride }, knots[degree], knots[n + degree]);
  return { degree, knots: net.knots, data: net.data };
}

export function twistOf(tracks: readonly Track[]): number {
  let worst = 0;
  for (let k = 1; k < tracks.length; k++) {
    const [a, b] = [tracks[k - 1], tracks[k]];
    const M = 24;
    const pa = Array.from({ length: M }, (_, i) => a.at(i / M));
    const pb = Array.from({ length: M }, (_, i) => b.at(i / M));
    const mid = (l: Vec3[]) =>
      scale(
        l.reduce<Vec3>((s, p) => add(s, p), [0, 0, 0]),
        1 / M,
      );
    const [ca, cb] = [mid(pa), mid(pb)];
    const axis = sub(cb, ca);
    if (length(axis) < 1e-9) continue;
    const u = scale(axis, 1 / length(axis));
    let sum = 0;
    let weight = 0;
    for (let i = 0; i < M; i++) {
      const flat = (p: Vec3, c: Vec3): Vec3 => {
        const d = sub(p, c);
        return sub(d, scale(u, dot(d, u)));
      };
      const [x, y] = [flat(pa[i], ca), flat(pb[i], cb)];
      const w = length(x) * length(y);
      sum += w * Math.atan2(dot(cross(x, y), u), dot(x, y));
      weight += w;
    }
    if (weight > 0) worst = Math.max(worst, Math.abs(sum / weight) / DEG);
  }
  return worst;
}
