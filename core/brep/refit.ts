import { changeBetween, cross, distance, length, solveDense, type Vec3 } from '../math/index.ts';
import {
  closestOnSurface,
  domainU,
  domainV,
  evaluateSurface,
  type FitSeed,
  fitFunction,
  knotRuns,
  lengthParameter,
  makeCurve,
  type NurbsSurface,
} from '../nurbs/index.ts';
import { type Body, type Edge, type EdgeUse, edgePoint, type Face, topologyOf, tracePoint, traceTangent, useUV } from './body.ts';

/**
 * Lighter curves for edges that came out of a cut: the edge and its images on all its faces are fitted together on one knot vector, so that
 * they stay at the same parameter. Edges whose fit would miss `tolerance` (mm) or save nothing are left alone.
 *
 * With `cutter` (the surface that made the edge) every sample is first brought onto both surfaces by Newton's method, so that the new
 * curve is the true intersection and not the kernel's approximation of it.
 */
export function refitEdges(
  b: Body,
  which: readonly number[],
  tolerance: number,
  cutter?: (edge: number) => NurbsSurface | undefined,
): Body {
  const { uses } = topologyOf(b);
  const edges = [...b.edges];
  const replaced = new Map<EdgeUse, EdgeUse>();
  const jet = new Float64Array(12);
  for (const i of which) {
    const e = b.edges[i];
    if (e.degenerate || e.record || e.turn || e.curve.control.length / 4 < 12) continue;
    const [a, z] = e.range;
    const faces = uses[i].map((r) => b.faces[r.face]);
    if (faces.some((f) => f.turnU || f.turnV)) continue;
    // chart coordinates are weighed by the stretch of the surface, so that one tolerance in mm serves all
    const scale = uses[i].map((r, k) => {
      const [u, v] = useUV(faces[k], r.use, (a + z) / 2);
      evaluateSurface(faces[k].surface, u, v, 1, jet);
      return [Math.hypot(jet[6], jet[7], jet[8]) || 1, Math.hypot(jet[3], jet[4], jet[5]) || 1];
    });
    const dim = 3 + 2 * uses[i].length;
    const tool = cutter?.(i);
    let toolFoot: readonly [number, number] | undefined;
    // by arc length: the kernel's own parameter has jumps of speed
    const byLength = lengthParameter(e.curve, a, z);
    const sample = (s: number, out: Float64Array) => {
      const t = byLength.near(s);
      if (tool && faces.length && t > a && t < z) {
        const [p, tangent] = traceTangent(e, t);
        const found = onBoth(faces[0].surface, useUV(faces[0], uses[i][0].use, t), tool, toolFoot, p, tangent);
        const x = found?.point;
        toolFoot = found?.foot;
        if (x && distance(x, p) < 100 * Math.max(e.tolerance, tolerance)) {
          out.set(x);
          faces.forEach((f, k) => {
            const foot =
              k === 0 && found ? { u: found.onA[0], v: found.onA[1] } : closestOnSurface(f.surface, x, useUV(f, uses[i][k].use, t));
            out[3 + 2 * k] = foot.u * scale[k][0];
            out[4 + 2 * k] = foot.v * scale[k][1];
          });
          return;
        }
      }
      out.set(edgePoint(e, t));
      uses[i].forEach((r, k) => {
        const p = tracePoint(r.use.pcurve, t);
        out[3 + 2 * k] = p[0] * scale[k][0];
        out[4 + 2 * k] = p[1] * scale[k][1];
      });
    };
    const fit = fitFunction(
      sample,
      0,
      byLength.total,
      dim,
      5,
      tolerance,
      breaksAlong(byLength, (t) => uses[i].map((r, k) => ({ s: faces[k].surface, uv: useUV(faces[k], r.use, t) }))),
      120,
    );
    const count = fit.data.length / dim;
    if (fit.deviation > tolerance || count >= e.curve.control.length / 4) continue;
    const rows = Array.from({ length: count }, (_, r) => Array.from(fit.data.subarray(r * dim, r * dim + dim)));
    edges[i] = {
      ...e,
      curve: makeCurve(
        5,
        rows.map((r) => r.slice(0, 3)),
        fit.knots,
      ),
      range: [0, byLength.total],
      tolerance: Math.max(e.tolerance, 2 * fit.deviation),
    } satisfies Edge;
    uses[i].forEach((r, k) => {
      const pts = rows.map((row) => [row[3 + 2 * k] / scale[k][0], row[4 + 2 * k] / scale[k][1]]);
      replaced.set(r.use, { ...r.use, pcurve: { curve: makeCurve(5, pts, fit.knots) } });
    });
  }
  if (!replaced.size) return b;
  const faces = b.faces.map((f): Face => ({ ...f, loops: f.loops.map((l) => l.map((u) => replaced.get(u) ?? u)) }));
  return { ...b, edges, faces };
}

const jetA = new Float64Array(12);
const jetB = new Float64Array(12);
const system = new Float64Array(16);
const right = new Float64Array(4);
/**
 * The point common to both surfaces in the plane through `p` across `tangent`: Newton's method on A(a, b) = B(c, d) and that plane, in the
 * four parameters at once. Undefined where it does not settle inside both surfaces, or where they touch.
 */
function onBoth(
  a: NurbsSurface,
  uvA: readonly [number, number],
  b: NurbsSurface,
  uvB: readonly [number, number] | undefined,
  p: Vec3,
  tangent: Vec3,
): { point: Vec3; foot: readonly [number, number]; onA: readonly [number, number] } | undefined {
  const l = length(tangent);
  if (!(l > 0)) return undefined;
  const t: Vec3 = [tangent[0] / l, tangent[1] / l, tangent[2] / l];
  const [ra, rb] = [
    [...domainU(a), ...domainV(a)],
    [...domainU(b), ...domainV(b)],
  ];
  let [u, v] = uvA;
  let [r, s] = uvB ?? [Number.NaN, Number.NaN];
  if (uvB) {
    evaluateSurface(b, r, s, 0, jetB);
    if (Math.hypot(jetB[0] - p[0], jetB[1] - p[1], jetB[2] - p[2]) > 0.5) r = Number.NaN;
  }
  if (Number.isNaN(r)) {
    const foot = closestOnSurface(b, p);
    [r, s] = [foot.u, foot.v];
  }
  const clamp = (x: number, low: number, high: number) => Math.min(high, Math.max(low, x));
  for (let k = 0; k < 14; k++) {
    evaluateSurface(a, u, v, 1, jetA);
    evaluateSurface(b, r, s, 1, jetB);
    // order 1 layout: point at 0, by v at 3, by u at 6
    for (let d = 0; d < 3; d++) {
      system[4 * d] = jetA[6 + d];
      system[4 * d + 1] = jetA[3 + d];
      system[4 * d + 2] = -jetB[6 + d];
      system[4 * d + 3] = -jetB[3 + d];
      right[d] = jetB[d] - jetA[d];
    }
    system[12] = t[0] * jetA[6] + t[1] * jetA[7] + t[2] * jetA[8];
    system[13] = t[0] * jetA[3] + t[1] * jetA[4] + t[2] * jetA[5];
    system[14] = 0;
    system[15] = 0;
    right[3] = t[0] * (p[0] - jetA[0]) + t[1] * (p[1] - jetA[1]) + t[2] * (p[2] - jetA[2]);
    const off = Math.hypot(right[0], right[1], right[2], right[3]);
    if (off < 1e-11 * (1 + Math.hypot(jetA[0], jetA[1], jetA[2]))) {
      const [na, nb] = [
        cross([jetA[6], jetA[7], jetA[8]], [jetA[3], jetA[4], jetA[5]]),
        cross([jetB[6], jetB[7], jetB[8]], [jetB[3], jetB[4], jetB[5]]),
      ];
      if (length(cross(na, nb)) < 1e-4 * length(na) * length(nb)) return undefined;
      return { point: [jetA[0], jetA[1], jetA[2]], foot: [r, s], onA: [u, v] };
    }
    if (!solveDense(system, right, 4, 1)) return undefined;
    u = clamp(u + right[0], ra[0], ra[1]);
    v = clamp(v + right[1], ra[2], ra[3]);
    r = clamp(r + right[2], rb[0], rb[1]);
    s = clamp(s + right[3], rb[2], rb[3]);
  }
  return undefined;
}

/** Lengths at which a curve on surfaces crosses their knot lines: it is no smoother there than they are. `at` gives surfaces and places by the parameter of `by.near`. */
export function breaksAlong(
  by: { total: number; near: (s: number) => number },
  at: (t: number) => { s: NurbsSurface; uv: readonly [number, number] }[],
): FitSeed[] {
  const out: FitSeed[] = [];
  const n = 160;
  let last = at(by.near(0));
  for (let k = 1; k <= n; k++) {
    const now = at(by.near((by.total * k) / n));
    now.forEach(({ s, uv }, f) => {
      for (const d of [0, 1] as const) {
        const degree = d === 0 ? s.degreeU : s.degreeV;
        const runs = knotRuns(d === 0 ? s.knotsU : s.knotsV, degree);
        runs.values.slice(1, -1).forEach((knot, i) => {
          const [p, q] = [last[f].uv[d] - knot, uv[d] - knot];
          // on the knot at the first of the two: the stretch before has told it
          if (p === 0 || p * q > 0) return;
          const before = (l: number) => (at(by.near(l))[f].uv[d] - knot) * p > 0;
          const [, t] = changeBetween(before, (by.total * (k - 1)) / n, (by.total * k) / n, 40);
          const continuity = degree - runs.multiplicities[i + 1];
          if (continuity < 5) out.push({ t, multiplicity: Math.max(1, 5 - continuity) });
        });
      }
    });
    last = now;
  }
  return out;
}
