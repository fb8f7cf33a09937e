import { along, changeBetween, cross, distance, dot, length, solveDense, sub, type Vec3 } from '../math/index.ts';
import {
  closestOnSurface,
  domainU,
  domainV,
  evaluateSurface,
  type FitSeed,
  fitFunction,
  isoU,
  isoV,
  knotRuns,
  lengthParameter,
  line2,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  surfaceNormal,
  surfacePoint,
} from '../nurbs/index.ts';
import { type Body, type Edge, type EdgeUse, edgePoint, type Face, topologyOf, tracePoint, traceTangent, useUV } from './body.ts';

/**
 * Lighter curves for edges that came out of a cut: the edge and its images on all its faces are fitted together on one knot vector, so that
 * they stay at the same parameter. Edges whose fit would miss `tolerance` (mm) or save nothing are left alone; edges that lie beside their
 * faces by more are taken as soon as they get twice as good.
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
    // where the ends stand beside their vertices the curve is led there evenly
    const lead = [sub(b.vertices[e.start].point, edgePoint(e, a)), sub(b.vertices[e.end].point, edgePoint(e, z))] as const;
    const led = (p: Vec3, s: number) => along(along(p, lead[0], 1 - s / byLength.total), lead[1], s / byLength.total);
    // a point and its feet on all faces; `first` where that on the first is known
    const put = (out: Float64Array, x: Vec3, t: number, first?: readonly [number, number]) => {
      out.set(x);
      faces.forEach((f, k) => {
        const known = k === 0 ? first : undefined;
        const foot = known ? { u: known[0], v: known[1] } : closestOnSurface(f.surface, x, useUV(f, uses[i][k].use, t));
        out[3 + 2 * k] = foot.u * scale[k][0];
        out[4 + 2 * k] = foot.v * scale[k][1];
      });
    };
    const sample = (s: number, out: Float64Array) => {
      const t = byLength.near(s);
      if (tool && faces.length && t > a && t < z) {
        const [p, tangent] = traceTangent(e, t);
        const found = onBoth(faces[0].surface, useUV(faces[0], uses[i][0].use, t), tool, toolFoot, led(p, s), tangent);
        const x = found?.point;
        toolFoot = found?.foot;
        if (x && distance(x, p) < 100 * Math.max(e.tolerance, tolerance)) {
          put(out, x, t, found?.onA);
          return;
        }
      }
      // an end that stands beside its vertex goes to it
      const corner = tool && (t <= a ? b.vertices[e.start] : t >= z ? b.vertices[e.end] : undefined);
      if (corner && distance(corner.point, edgePoint(e, t)) > 1e-9) {
        put(out, corner.point, t);
        return;
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
    const loose = tool !== undefined && e.tolerance > 2 * tolerance;
    if (fit.deviation > (loose ? Math.max(tolerance, e.tolerance / 2) : tolerance) || (!loose && count >= e.curve.control.length / 4))
      continue;
    const rows = Array.from({ length: count }, (_, r) => Array.from(fit.data.subarray(r * dim, r * dim + dim)));
    edges[i] = {
      ...e,
      curve: makeCurve(
        5,
        rows.map((r) => r.slice(0, 3)),
        fit.knots,
      ),
      range: [0, byLength.total],
      tolerance: loose ? 2 * fit.deviation : Math.max(e.tolerance, 2 * fit.deviation),
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

/**
 * Seams that close a face on its own border are that border: where a kernel made one by approximation (hundredths of a wall beside its own
 * surface), the edge becomes the surface's line of constant parameter, with straight images, and its ends stand where this line meets the
 * neighbour's surface.
 */
export function exactSeams(b: Body): Body {
  const { uses } = topologyOf(b);
  const edges = [...b.edges];
  const vertices = [...b.vertices];
  const replaced = new Map<EdgeUse, EdgeUse>();
  // the surface that meets face `f` along some other edge at a vertex
  const across = (vertex: number, f: number): NurbsSurface | undefined => {
    const e = b.edges.findIndex(
      (x, i) => (x.start === vertex || x.end === vertex) && uses[i].length === 2 && uses[i].filter((r) => r.face === f).length === 1,
    );
    const other = e < 0 ? undefined : uses[e].find((r) => r.face !== f);
    return other && b.faces[other.face].surface;
  };
  for (const [i, e] of b.edges.entries()) {
    const [first, second] = uses[i];
    if (e.degenerate || e.record || e.turn || uses[i].length !== 2 || first.face !== second.face) continue;
    const f = b.faces[first.face];
    if (f.turnU || f.turnV || f.record) continue;
    const image = ({ use }: typeof first) =>
      [0, 0.1, 0.25, 0.5, 0.75, 0.9, 1].map((k) => useUV(f, use, e.range[0] + k * (e.range[1] - e.range[0])));
    const [p, q] = [image(first), image(second)];
    const ends = [domainU(f.surface), domainV(f.surface)] as const;
    const fixed = ([0, 1] as const).find((d) => {
      const [a, z] = ends[d];
      const near = (x: number, y: number) => Math.abs(x - y) < 1e-9 * (z - a);
      const [here, there] = near(p[0][d], a) ? [a, z] : [z, a];
      return p.every((x) => near(x[d], here)) && q.every((x) => near(x[d], there));
    });
    if (fixed === undefined) continue;
    const along = fixed === 0 ? 1 : 0;
    const curve = fixed === 0 ? isoU(f.surface, p[0][0]) : isoV(f.surface, p[0][1]);
    const [from, to] = [
      [e.start, p[0][along]],
      [e.end, p[p.length - 1][along]],
    ].map(([vertex, t]) => {
      const s = across(vertex, first.face);
      const met = s && meet(curve, t, s, ends[along]);
      if (met === undefined || distance(pointAt(curve, met), b.vertices[vertex].point) > 20 * e.tolerance) return t;
      vertices[vertex] = { ...vertices[vertex], point: pointAt(curve, met) };
      return met;
    });
    if (!(to > from)) continue;
    const straight = (at: number) => (fixed === 0 ? line2([at, from], [at, to], from, to) : line2([from, at], [to, at], from, to));
    edges[i] = { ...e, curve, range: [from, to], tolerance: 1e-7 };
    for (const [r, at] of [
      [first, p[0][fixed]],
      [second, q[0][fixed]],
    ] as const)
      replaced.set(r.use, { ...r.use, pcurve: { curve: straight(at) } });
  }
  if (!replaced.size) return b;
  const faces = b.faces.map((f): Face => ({ ...f, loops: f.loops.map((l) => l.map((u) => replaced.get(u) ?? u)) }));
  return { ...b, vertices, edges, faces };
}

/** Parameter near `t` where a curve goes through a surface, by the secant method on its height over the nearest place. */
function meet(c: NurbsCurve, t: number, s: NurbsSurface, [a, z]: readonly [number, number]): number | undefined {
  const height = (x: number) => {
    const p = pointAt(c, x);
    const foot = closestOnSurface(s, p);
    return dot(sub(p, surfacePoint(s, foot.u, foot.v)), surfaceNormal(s, foot.u, foot.v));
  };
  let [x, y] = [t, Math.min(z, Math.max(a, t + (t < (a + z) / 2 ? 1e-4 : -1e-4) * (z - a)))];
  let [h, k] = [height(x), height(y)];
  for (let n = 0; n < 20 && Math.abs(k) > 1e-12; n++) {
    const next = y - (k * (y - x)) / (k - h);
    if (!(next >= a && next <= z)) return undefined;
    [x, h, y, k] = [y, k, next, height(next)];
  }
  return Math.abs(k) < 1e-9 ? y : undefined;
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
  const clamp = (x: number, low: number, high: number, more = 0) =>
    Math.min(high + more * (high - low), Math.max(low - more * (high - low), x));
  // a fitted surface may end a breath before its trim: the last polynomial carries on there
  const MORE = 1e-4;
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
      return {
        point: [jetA[0], jetA[1], jetA[2]],
        foot: [clamp(r, rb[0], rb[1]), clamp(s, rb[2], rb[3])],
        onA: [clamp(u, ra[0], ra[1]), clamp(v, ra[2], ra[3])],
      };
    }
    if (!solveDense(system, right, 4, 1)) return undefined;
    u = clamp(u + right[0], ra[0], ra[1], MORE);
    v = clamp(v + right[1], ra[2], ra[3], MORE);
    r = clamp(r + right[2], rb[0], rb[1], MORE);
    s = clamp(s + right[3], rb[2], rb[3], MORE);
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
