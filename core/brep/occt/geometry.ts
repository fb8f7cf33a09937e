/** Exact NURBS forms of the kernel's curve and surface records, in the kernel's own parameters or through a turn map. */
import { type Affine, along, cross, dot, type Frame, scale, sub, unit, type Vec3 } from '../../math/index.ts';
import { fitSurface, gridOf } from '../../nurbs/fit-surface.ts';
import {
  clipNet,
  ellipseArc,
  evaluateInto,
  evaluateSurface,
  extrudedSurface,
  fitFunction,
  makeCurve,
  mapU,
  mapV,
  type NurbsCurve,
  type NurbsSurface,
  planeSurface,
  revolvedSurface,
  ruledSurface,
  surfaceFromRows,
  surfaceNormal,
  transpose,
} from '../../nurbs/index.ts';
import { type AnalyticRecord, type Trace, transformRecord } from '../body.ts';
import { type Turn, toRational, turnBreaks } from '../chart.ts';

export type RawCurve =
  | { readonly kind: 'analytic'; readonly type: number; readonly data: number[] }
  | { readonly kind: 'spline'; readonly spline: PeriodicSpline }
  | { readonly kind: 'trimmed'; readonly basis: RawCurve }
  | { readonly kind: 'offset'; readonly distance: number; readonly direction?: Vec3; readonly basis: RawCurve };

export interface PeriodicSpline {
  readonly dim: 2 | 3;
  readonly degree: number;
  readonly rational: boolean;
  readonly periodic: boolean;
  readonly poles: number[][];
  readonly weights: number[];
  readonly knots: number[];
  readonly multiplicities: number[];
}

export type RawSurface =
  | { readonly kind: 'analytic'; readonly type: number; readonly data: number[]; readonly basis?: RawCurve }
  | {
      readonly kind: 'spline';
      readonly u: Omit<PeriodicSpline, 'poles' | 'weights' | 'dim' | 'rational'>;
      readonly v: Omit<PeriodicSpline, 'poles' | 'weights' | 'dim' | 'rational'>;
      readonly rational: boolean;
      readonly nu: number;
      readonly nv: number;
      readonly poles: Float64Array;
    }
  | { readonly kind: 'trimmed'; readonly basis: RawSurface }
  | { readonly kind: 'offset'; readonly distance: number; readonly basis: RawSurface };

/** Flat knots of a spline over the window [a, b]; periodic ones are unrolled first. `pole(i)` gives the source row of the unrolled row i. */
function unroll(s: { degree: number; periodic: boolean; knots: number[]; multiplicities: number[] }, rows: number, a: number, b: number) {
  const p = s.degree;
  if (!s.periodic) {
    const flat: number[] = [];
    s.knots.forEach((k, i) => {
      for (let m = 0; m < s.multiplicities[i]; m++) flat.push(k);
    });
    return { knots: Float64Array.from(flat), pole: (i: number) => i, count: rows };
  }
  const period = s.knots[s.knots.length - 1] - s.knots[0];
  const base: number[] = [];
  s.knots.slice(0, -1).forEach((k, i) => {
    for (let m = 0; m < s.multiplicities[i]; m++) base.push(k);
  });
  const n = base.length;
  // row i has support [F(i+shift) .. F(i+shift+p+1)]; the kernel's first pole belongs to the span that starts at the last copy of the first knot
  const shift = s.multiplicities[0] - 1 - p;
  const F = (i: number) => base[((i % n) + n) % n] + period * Math.floor(i / n);
  const turns0 = Math.floor((a - s.knots[0]) / period + 1e-9);
  const turns1 = Math.max(turns0 + 1, Math.ceil((b - s.knots[0]) / period - 1e-9));
  const first = turns0 * n;
  const count = (turns1 - turns0) * n + p;
  const knots = Float64Array.from({ length: count + p + 1 }, (_, i) => F(first + shift + i));
  return { knots, pole: (i: number) => (((first + i) % n) + n) % n, count };
}

export function splineCurve(s: PeriodicSpline, a: number, b: number): NurbsCurve {
  const un = unroll(s, s.poles.length, a, b);
  const pts = Array.from({ length: un.count }, (_, i) => s.poles[un.pole(i)]);
  const weights = s.rational ? Array.from({ length: un.count }, (_, i) => s.weights[un.pole(i)]) : undefined;
  const c = makeCurve(s.degree, pts, un.knots, weights);
  if (!s.periodic) return c;
  const net = clipNet(
    { degree: c.degree, knots: c.knots, data: c.control, stride: c.dim + 1 },
    Math.max(a, c.knots[c.degree]),
    Math.min(b, c.knots[c.knots.length - c.degree - 1]),
  );
  return { ...c, knots: net.knots, control: net.data };
}

export const frameOf = (d: ArrayLike<number>): Frame => ({
  origin: [d[0], d[1], d[2]],
  z: [d[3], d[4], d[5]],
  x: [d[6], d[7], d[8]],
  y: [d[9], d[10], d[11]],
});

/** Trace of a raw curve over [a, b]. */
export function curveFromRaw(raw: RawCurve, a: number, b: number, dim: 2 | 3): Trace {
  if (raw.kind === 'spline') return { curve: splineCurve(raw.spline, a, b) };
  if (raw.kind === 'trimmed') return curveFromRaw(raw.basis, a, b, dim);
  const fitted = (f: (t: number) => Vec3): Trace => {
    const r = fitFunction((t, out) => out.set(f(t).slice(0, dim)), a, b, dim, 5, 1e-9, [], 200);
    const pts = Array.from({ length: r.data.length / dim }, (_, i) => Array.from(r.data.subarray(i * dim, i * dim + dim)));
    return { curve: makeCurve(5, pts, r.knots) };
  };
  if (raw.kind === 'offset') {
    const basis = curveFromRaw(raw.basis, a, b, dim);
    return fitted((t) => {
      const out = new Float64Array(6);
      evaluateInto(basis.curve, toRational(basis.turn, t), 1, out);
      const tangent: Vec3 = [out[dim], out[dim + 1], dim === 3 ? out[5] : 0];
      const side = raw.direction ? unit(cross(tangent, raw.direction)) : unit([tangent[1], -tangent[0], 0]);
      return along([out[0], out[1], dim === 3 ? out[2] : 0], side, raw.distance);
    });
  }
  const d = raw.data;
  const record: AnalyticRecord = { type: raw.type, data: d };
  if (raw.type === 1) {
    const at = (t: number) => Array.from({ length: dim }, (_, k) => d[k] + t * d[dim + k]);
    return { curve: makeCurve(1, [at(a), at(b)], [a, a, b, b]), record };
  }
  const flat: Frame = dim === 3 ? frameOf(d) : { origin: [d[0], d[1], 0], x: [d[2], d[3], 0], y: [d[4], d[5], 0], z: [0, 0, 1] };
  const size = dim === 3 ? d.slice(12) : d.slice(6);
  const planar = (c: NurbsCurve): NurbsCurve => {
    if (dim === 3) return c;
    const control = new Float64Array((c.control.length / 4) * 3);
    for (let i = 0; i < c.control.length / 4; i++) control.set([c.control[i * 4], c.control[i * 4 + 1], c.control[i * 4 + 3]], i * 3);
    return { ...c, dim: 2, control };
  };
  switch (raw.type) {
    case 2:
      return { curve: planar(ellipseArc(flat, size[0], size[0], a, b)), turn: turnBreaks(a, b), record };
    case 3:
      return { curve: planar(ellipseArc(flat, size[0], size[1], a, b)), turn: turnBreaks(a, b), record };
    case 4: {
      const at = (x: number, y: number) => along(along(flat.origin, flat.x, x), flat.y, y).slice(0, dim);
      const f = 4 * size[0];
      return { curve: makeCurve(2, [at((a * a) / f, a), at((a * b) / f, (a + b) / 2), at((b * b) / f, b)], [a, a, a, b, b, b]), record };
    }
    case 5:
      return { ...fitted((t) => along(along(flat.origin, flat.x, size[0] * Math.cosh(t)), flat.y, size[1] * Math.sinh(t))), record };
    default:
      throw new Error(`curve type ${raw.type} is not known`);
  }
}

export interface SurfaceForm {
  readonly surface: NurbsSurface;
  readonly turnU?: Turn;
  readonly turnV?: Turn;
  readonly record?: AnalyticRecord;
}

const fullTurn = (a: number, b: number): [number, number] => (b - a > 2 * Math.PI - 1e-6 ? [a, a + 2 * Math.PI] : [a, b]);

/** Surface of a raw record over the used chart range [ua, ub] x [va, vb]. Offset surfaces are refitted within `tolerance` (mm). */
export function surfaceFromRaw(raw: RawSurface, r: readonly [number, number, number, number], tolerance = 1e-6): SurfaceForm {
  if (raw.kind === 'trimmed') return surfaceFromRaw(raw.basis, r, tolerance);
  if (raw.kind === 'spline') {
    const U = unroll(raw.u, raw.nu, r[0], r[1]);
    const V = unroll(raw.v, raw.nv, r[2], r[3]);
    const control = new Float64Array(U.count * V.count * 4);
    for (let i = 0; i < U.count; i++)
      for (let j = 0; j < V.count; j++) {
        const o = (U.pole(i) * raw.nv + V.pole(j)) * 4;
        const w = raw.poles[o + 3];
        control.set([raw.poles[o] * w, raw.poles[o + 1] * w, raw.poles[o + 2] * w, w], (i * V.count + j) * 4);
      }
    let surface: NurbsSurface = {
      degreeU: raw.u.degree,
      degreeV: raw.v.degree,
      knotsU: U.knots,
      knotsV: V.knots,
      countU: U.count,
      countV: V.count,
      control,
      rational: raw.rational,
    };
    if (raw.u.periodic)
      surface = mapU(surface, (n) => clipNet(n, Math.max(n.knots[n.degree], r[0]), Math.min(n.knots[n.knots.length - n.degree - 1], r[1])));
    if (raw.v.periodic)
      surface = mapV(surface, (n) => clipNet(n, Math.max(n.knots[n.degree], r[2]), Math.min(n.knots[n.knots.length - n.degree - 1], r[3])));
    return { surface };
  }
  if (raw.kind === 'offset') {
    const basis = surfaceFromRaw(raw.basis, r, tolerance);
    const b = basis.surface;
    const out = new Float64Array(3);
    const at = (u: number, v: number): Vec3 => {
      const tu = toRational(basis.turnU, u);
      const tv = toRational(basis.turnV, v);
      evaluateSurface(b, tu, tv, 0, out);
      const p: Vec3 = [out[0], out[1], out[2]];
      return along(p, surfaceNormal(b, tu, tv), raw.distance);
    };
    return { surface: fitSurface(gridOf(at), r, b, tolerance).surface };
  }
  const d = raw.data;
  const pad = (a: number, b: number): [number, number] => {
    const e = 1e-3 * (b - a) + 1e-9;
    return [a - e, b + e];
  };
  if (raw.type === 6 || raw.type === 7) {
    const [wa, wb] = raw.type === 6 ? [r[0], r[1]] : [r[2], r[3]];
    const basis = curveFromRaw(raw.basis as RawCurve, wa, wb, 3);
    const record: AnalyticRecord = { type: raw.type, data: d, basis };
    if (raw.type === 6) {
      const [v0, v1] = pad(r[2], r[3]);
      const dir: Vec3 = [d[0], d[1], d[2]];
      const base = extrudedSurface(basis.curve, scale(dir, v1 - v0));
      const moved = {
        ...base,
        control: base.control.map((x, i) => (i % 4 === 3 ? x : x + dir[i % 4] * v0 * base.control[i - (i % 4) + 3])),
        knotsV: Float64Array.of(v0, v0, v1, v1),
      };
      return { surface: moved, turnU: basis.turn, record };
    }
    const [u0, u1] = fullTurn(r[0], r[1]);
    const s = revolvedSurface(basis.curve, [d[0], d[1], d[2]], [d[3], d[4], d[5]], u0, u1);
    return { surface: transpose(s), turnU: turnBreaks(u0, u1), turnV: basis.turn, record };
  }
  const f = frameOf(d);
  const record: AnalyticRecord = { type: raw.type, data: d };
  const [v0, v1] = raw.type <= 3 ? pad(r[2], r[3]) : [r[2], r[3]];
  if (raw.type === 1) {
    const [u0, u1] = pad(r[0], r[1]);
    return { surface: planeSurface(f, u0, u1, v0, v1), record };
  }
  const [u0, u1] = fullTurn(r[0], r[1]);
  const turnU = turnBreaks(u0, u1);
  const ring = (radius: number, height: number) => ellipseArc({ ...f, origin: along(f.origin, f.z, height) }, radius, radius, u0, u1);
  if (raw.type === 2 || raw.type === 3) {
    const R = d[12];
    const a = raw.type === 3 ? d[13] : 0;
    const at = (v: number) => (raw.type === 3 ? ring(R + v * Math.sin(a), v * Math.cos(a)) : ring(R, v));
    const s = ruledSurface(at(v0), at(v1));
    return { surface: { ...s, knotsV: Float64Array.of(v0, v0, v1, v1) }, turnU, record };
  }
  // sphere and torus: an arc in the x-z plane turned about z; rows are built so that left-handed frames work too
  const [R, q] = raw.type === 4 ? [0, d[12]] : [d[12], d[13]];
  const [w0, w1] = raw.type === 4 ? [Math.max(r[2], -Math.PI / 2), Math.min(r[3], Math.PI / 2)] : fullTurn(r[2], r[3]);
  const arc = ellipseArc({ origin: [R, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, q, q, w0, w1);
  const circle = ellipseArc({ origin: [0, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] }, 1, 1, u0, u1);
  const rows = Array.from({ length: circle.control.length / 4 }, (_, i): NurbsCurve => {
    const [cx, cy, cw] = [circle.control[i * 4], circle.control[i * 4 + 1], circle.control[i * 4 + 3]];
    const control = new Float64Array(arc.control.length);
    for (let j = 0; j < arc.control.length; j += 4) {
      const [x, z, w] = [arc.control[j], arc.control[j + 2], arc.control[j + 3]];
      for (let k = 0; k < 3; k++) control[j + k] = f.x[k] * cx * x + f.y[k] * cy * x + f.z[k] * cw * z + f.origin[k] * cw * w;
      control[j + 3] = cw * w;
    }
    return { ...arc, control };
  });
  return { surface: surfaceFromRows(rows, 2, circle.knots), turnU, turnV: turnBreaks(w0, w1), record };
}

/** The analytic form moved by a location. */
export function moveRaw(raw: RawSurface, map: Affine): RawSurface {
  if (raw.kind === 'trimmed' || raw.kind === 'offset') return { ...raw, basis: moveRaw(raw.basis, map) };
  if (raw.kind === 'spline') {
    const poles = new Float64Array(raw.poles);
    for (let i = 0; i < poles.length; i += 4) poles.set(movePoint(map, [poles[i], poles[i + 1], poles[i + 2]]), i);
    return { ...raw, poles };
  }
  const moved = transformRecord({ type: raw.type, data: raw.data }, map, false);
  if (!moved) throw new Error('a located face is scaled unevenly');
  return { ...raw, data: [...moved.data], basis: raw.basis && moveRawCurve(raw.basis, map) };
}
export function moveRawCurve(raw: RawCurve, map: Affine): RawCurve {
  if (raw.kind === 'trimmed') return { ...raw, basis: moveRawCurve(raw.basis, map) };
  if (raw.kind === 'offset')
    return {
      ...raw,
      basis: moveRawCurve(raw.basis, map),
      direction: raw.direction && sub(movePoint(map, raw.direction), movePoint(map, [0, 0, 0])),
    };
  if (raw.kind === 'spline')
    return { ...raw, spline: { ...raw.spline, poles: raw.spline.poles.map((p) => [...movePoint(map, [p[0], p[1], p[2]])]) } };
  const moved = transformRecord({ type: raw.type, data: raw.data }, map, true);
  if (!moved) throw new Error('a located edge is scaled unevenly');
  return { ...raw, data: [...moved.data] };
}
const movePoint = (m: Affine, p: Vec3): Vec3 => [dot(m.m[0], p) + m.t[0], dot(m.m[1], p) + m.t[1], dot(m.m[2], p) + m.t[2]];
