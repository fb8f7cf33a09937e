import { type Body, type BodyMesh, bodyBox, breaksAlong, type Face, meshBody, topologyOf, useUV } from '../brep/index.ts';
import { boxSize, distance, type Vec3 } from '../math/index.ts';
import {
  averagedKnots,
  curveOfFit,
  evaluateNet,
  evaluateSurface,
  fitFunction,
  fitPeriodic,
  interpolateInSpace,
  type NurbsCurve,
} from '../nurbs/index.ts';

/** A number on every face of a body whose zero set is wanted. */
export interface Field {
  /** Value and its derivatives by u and v at a place of a face, written to `out`. The value should be a length (mm) or of the order of one. */
  readonly at: (face: number, u: number, v: number, out: Float64Array) => void;
  /** Values below this count as zero when a place is accepted. */
  readonly zero: number;
  /** The same from point and first derivatives (layout of `evaluateSurface` with order 1), for fields that need no more: saves an evaluation. */
  readonly fromJet?: (jet: Float64Array, out: Float64Array) => void;
  /** Branches of the zero set may cross: there the derivatives vanish too. */
  readonly crosses?: boolean;
  /** Value alone at a point of the body, for fields that hang on the point only. */
  readonly atPoint?: (x: number, y: number, z: number) => number;
}
/** A smooth curve on one face. `place` gives the exact place by the curve's own parameter (a length). */
export interface SkinCurve {
  readonly face: number;
  readonly curve: NurbsCurve;
  readonly length: number;
  readonly closed: boolean;
  readonly place: (s: number) => { readonly u: number; readonly v: number; readonly point: Vec3 };
}
export interface ContourOptions {
  /** Largest distance of the fitted curve from the exact one, mm. */
  readonly tolerance: number;
  /** Chord error of the mesh on which the zero set is looked for; features smaller than its triangles can be missed. */
  readonly chord?: number;
  /** Largest size of those triangles, mm; a fortieth of the body when not given. */
  readonly reach?: number;
  /** Only these faces. */
  readonly faces?: ReadonlySet<number>;
  /** Where this is negative the curve is left out; cuts are found to 1e-12 of the length. */
  readonly keep?: (face: number, point: Vec3, u: number, v: number) => number;
  /** The curve is split where this changes sign. */
  readonly split?: (face: number, point: Vec3, u: number, v: number) => number;
}

interface Crossing {
  readonly u: number;
  readonly v: number;
}
interface Trail {
  readonly face: number;
  readonly places: Crossing[];
  readonly closed: boolean;
}

/**
 * Zero set of a field on the trimmed faces of a body: looked for on the body's own mesh (triangles with a change of sign), every crossing
 * solved on the surface or on the edge, then refined by Newton's method and fitted with degree 5. One curve per face and branch; use
 * `chainsOf` to put them end to end.
 */
export function contour(b: Body, field: Field, options: ContourOptions): SkinCurve[] {
  const size = Math.max(1e-6, boxSize(bodyBox(b)));
  const mesh = lookingMesh(b, options.chord ?? size / 1500, Math.min(size / 40, options.reach ?? Infinity));
  return trails(b, mesh, field, options.faces)
    .flatMap((t) => apartAtPoles(b.faces[t.face], t, size))
    .flatMap((t) => (field.crosses ? apartAtCrossings(b.faces[t.face], t, field, Math.min(size / 40, options.reach ?? Infinity)) : [t]))
    .flatMap((t) => smooth(b, t, field, size, options));
}

/** The mesh for looking, kept with the body: many sections and projections look at the same one. */
function lookingMesh(b: Body, chord: number, longest: number): BodyMesh {
  const known = looking.get(b) ?? new Map<string, BodyMesh>();
  looking.set(b, known);
  const key = `${chord},${longest}`;
  let mesh = known.get(key);
  if (!mesh) {
    mesh = meshBody(b, { chord, angle: 0.25, longest });
    known.set(key, mesh);
  }
  return mesh;
}
const looking = new WeakMap<Body, Map<string, BodyMesh>>();

/** A trail through a pole jumps in (u, v) and not in space: there it becomes two. */
function apartAtPoles(f: Face, t: Trail, size: number): Trail[] {
  const place = (p: Crossing): Vec3 => {
    evaluateSurface(f.surface, p.u, p.v, 0, jet);
    return [jet[0], jet[1], jet[2]];
  };
  const points = t.places.map(place);
  const [du, dv] = [
    f.surface.knotsU[f.surface.knotsU.length - 1] - f.surface.knotsU[0],
    f.surface.knotsV[f.surface.knotsV.length - 1] - f.surface.knotsV[0],
  ];
  const jumps = (i: number, j: number) =>
    distance(points[i], points[j]) < 1e-9 * size &&
    Math.abs(t.places[i].u - t.places[j].u) / du + Math.abs(t.places[i].v - t.places[j].v) / dv > 1e-6;
  const n = points.length;
  const at = points.map((_, i) => i).filter((i) => (i > 0 || t.closed) && jumps((i + n - 1) % n, i));
  const order = t.closed && at.length ? [...t.places.slice(at[0]), ...t.places.slice(0, at[0])] : [...t.places];
  const cuts = t.closed ? at.map((i) => i - at[0]).slice(1) : at;
  const closed = t.closed && !at.length;
  return [0, ...cuts]
    .map((from, k) => ({ face: t.face, closed, places: order.slice(from, cuts[k] ?? n) }))
    .filter((x) => x.places.length > 1)
    .map((x) => {
      if (closed) return x;
      // several crossings may lie on the same end point: one of them is enough
      let [first, last] = [0, x.places.length - 1];
      while (first < last && distance(place(x.places[first]), place(x.places[first + 1])) < 1e-9 * size) first++;
      while (first < last && distance(place(x.places[last]), place(x.places[last - 1])) < 1e-9 * size) last--;
      const places = x.places.slice(first, last + 1);
      if (places.length < 2) return { ...x, places };
      places[0] = atPole(f, places[0], places[1], size);
      places[places.length - 1] = atPole(f, places[places.length - 1], places[places.length - 2], size);
      return { ...x, places };
    })
    .filter((x) => x.places.length > 1);
}
/** At a pole all values of the collapsed parameter are one point: an end there takes the value that its neighbour has. */
function atPole(f: Face, p: Crossing, neighbour: Crossing, size: number): Crossing {
  evaluateSurface(f.surface, p.u, p.v, 1, jet);
  if (Math.hypot(jet[6], jet[7], jet[8]) < 1e-9 * size) return { u: neighbour.u, v: p.v };
  if (Math.hypot(jet[3], jet[4], jet[5]) < 1e-9 * size) return { u: p.u, v: neighbour.v };
  return p;
}

/** What is the same for every field that is looked for on a mesh. */
interface Looks {
  /** Intervals of edges by the pair of shared points that bounds them. */
  readonly stretch: ReadonlyMap<string, { edge: number; a: number; b: number }>;
  /** Triangles of each face, node by node, and sides that only one of them has. */
  readonly faces: readonly { readonly triangles: Uint32Array; readonly border: ReadonlySet<string> }[];
}
const looks = new WeakMap<BodyMesh, Looks>();
function looksOf(b: Body, mesh: BodyMesh): Looks {
  const known = looks.get(mesh);
  if (known) return known;
  const stretch = new Map<string, { edge: number; a: number; b: number }>();
  b.edges.forEach((e, i) => {
    const [first, count] = [mesh.edgeRanges[2 * i], mesh.edgeRanges[2 * i + 1]];
    if (e.degenerate) return;
    for (let k = first; k + 1 < first + count; k++)
      stretch.set(pair(mesh.edgeShared[k], mesh.edgeShared[k + 1]), { edge: i, a: mesh.edgeAt[k], b: mesh.edgeAt[k + 1] });
  });
  const faces = b.faces.map((_, face) => {
    const [first, count] = [mesh.faceRanges[2 * face], mesh.faceRanges[2 * face + 1]];
    const list = Array.from(mesh.indices.subarray(first, first + count));
    for (let t = 0; t < mesh.collapsed.length; t += 4)
      if (mesh.collapsed[t] === face) list.push(mesh.collapsed[t + 1], mesh.collapsed[t + 2], mesh.collapsed[t + 3]);
    const border = new Set<string>();
    for (let t = 0; t < list.length; t += 3)
      for (let k = 0; k < 3; k++) {
        const key = pair(list[t + k], list[t + ((k + 1) % 3)]);
        if (!border.delete(key)) border.add(key);
      }
    return { triangles: Uint32Array.from(list), border };
  });
  const made = { stretch, faces };
  looks.set(mesh, made);
  return made;
}

function trails(b: Body, mesh: BodyMesh, field: Field, only?: ReadonlySet<number>): Trail[] {
  const out: Trail[] = [];
  const value = new Float64Array(3);
  const { stretch, faces } = looksOf(b, mesh);
  // 0 is not known yet; nodes that lie on the zero set count as one side, whatever rounding says
  const sign = new Int8Array(mesh.positions.length / 3);
  b.faces.forEach((f, face) => {
    if (only && !only.has(face)) return;
    const { triangles, border: open } = faces[face];
    const signOf = (n: number): number => {
      if (sign[n]) return sign[n];
      if (field.atPoint) value[0] = field.atPoint(mesh.positions[3 * n], mesh.positions[3 * n + 1], mesh.positions[3 * n + 2]);
      else field.at(face, mesh.uv[2 * n], mesh.uv[2 * n + 1], value);
      return (sign[n] = value[0] >= -ON_NODE ? 1 : -1);
    };
    const places = new Map<string, Crossing | undefined>();
    const links = new Map<string, string[]>();
    const border = new Set<string>();
    for (let t = 0; t < triangles.length; t += 3) {
      const n = [triangles[t], triangles[t + 1], triangles[t + 2]];
      if (signOf(n[0]) === signOf(n[1]) && signOf(n[1]) === signOf(n[2])) continue;
      const ends: string[] = [];
      for (let k = 0; k < 3; k++) {
        const [a, c] = [n[k], n[(k + 1) % 3]];
        if (signOf(a) === signOf(c)) continue;
        const key = pair(a, c);
        if (!places.has(key)) {
          const on = open.has(key) ? stretch.get(pair(mesh.shared[a], mesh.shared[c])) : undefined;
          if (on) border.add(key);
          places.set(key, (on && onEdge(b, f, face, on, field, mesh, a)) ?? between(field, face, mesh, a, c));
        }
        ends.push(key);
      }
      if (ends.length === 2) {
        links.set(ends[0], [...(links.get(ends[0]) ?? []), ends[1]]);
        links.set(ends[1], [...(links.get(ends[1]) ?? []), ends[0]]);
      }
    }
    const done = new Set<string>();
    const walk = (start: string) => {
      const list = [start];
      done.add(start);
      let at = start;
      for (;;) {
        const next = (links.get(at) ?? []).find((k) => !done.has(k));
        if (next === undefined) break;
        done.add(next);
        list.push(next);
        at = next;
      }
      const closed = list.length > 2 && (links.get(at) ?? []).includes(start) && !border.has(start);
      const good = list.map((k) => places.get(k)).filter((p): p is Crossing => !!p);
      if (good.length > 1) out.push({ face, places: good, closed: closed && good.length === list.length });
    };
    for (const k of links.keys()) if (!done.has(k) && (links.get(k) ?? []).length === 1) walk(k);
    for (const k of links.keys()) if (!done.has(k)) walk(k);
  });
  return out;
}
const pair = (a: number, c: number) => (a < c ? `${a},${c}` : `${c},${a}`);

/** A node this near to the zero set lies on it. */
const ON_NODE = 1e-11;
const probe = new Float64Array(3);
/** Root of g on [0, 1] with a change of sign, by bisection and the secant through the ends (Illinois rule); values within `enough` will do. */
function root(g: (x: number) => number, enough = 0): number {
  let [a, c] = [0, 1];
  let [fa, fc] = [g(0), g(1)];
  if (Math.abs(fa) <= ON_NODE) return 0;
  if (Math.abs(fc) <= ON_NODE) return 1;
  for (let k = 0; k < 80 && c - a > 1e-15; k++) {
    let x = (a * fc - c * fa) / (fc - fa);
    if (!(x > a && x < c) || k % 4 === 3) x = (a + c) / 2;
    const fx = g(x);
    if (Math.abs(fx) <= enough) return x;
    if (fx > 0 === fc > 0) {
      c = x;
      fc = fx;
      fa /= 1.6;
    } else {
      a = x;
      fa = fx;
      fc /= 1.6;
    }
  }
  return (a + c) / 2;
}
function between(field: Field, face: number, mesh: BodyMesh, a: number, c: number): Crossing | undefined {
  const [ua, va, uc, vc] = [mesh.uv[2 * a], mesh.uv[2 * a + 1], mesh.uv[2 * c], mesh.uv[2 * c + 1]];
  const g = (x: number) => {
    field.at(face, ua + (uc - ua) * x, va + (vc - va) * x, probe);
    return probe[0];
  };
  // inside a face the place is only a start: it is settled later
  const x = root(g, 0.5 * field.zero);
  return Math.abs(g(x)) < field.zero ? { u: ua + (uc - ua) * x, v: va + (vc - va) * x } : undefined;
}
function onEdge(
  b: Body,
  f: Face,
  face: number,
  on: { edge: number; a: number; b: number },
  field: Field,
  mesh: BodyMesh,
  node: number,
): Crossing | undefined {
  for (const { face: k, use } of topologyOf(b).uses[on.edge]) {
    if (k !== face) continue;
    // a seam is used twice by its face: the use that passes through the node is meant
    const here = [on.a, on.b].some((t) => {
      const [u, v] = useUV(f, use, t);
      return Math.abs(u - mesh.uv[2 * node]) + Math.abs(v - mesh.uv[2 * node + 1]) < 1e-6 * (1 + Math.abs(u) + Math.abs(v));
    });
    if (!here) continue;
    const g = (x: number) => {
      const [u, v] = useUV(f, use, on.a + (on.b - on.a) * x);
      field.at(face, u, v, probe);
      return probe[0];
    };
    if (g(0) * g(1) > 0 && Math.min(Math.abs(g(0)), Math.abs(g(1))) > ON_NODE) continue;
    const x = root(g);
    if (Math.abs(g(x)) > field.zero) continue;
    const [u, v] = useUV(f, use, on.a + (on.b - on.a) * x);
    return { u, v };
  }
  return undefined;
}

const jet = new Float64Array(12);
/**
 * Where branches of the zero set cross, both derivatives vanish (a saddle of the field), and the mesh pairs the branches as it happens to lie.
 * Trails that come near such a place end there; `reach` is the size of the mesh's triangles.
 */
function apartAtCrossings(f: Face, t: Trail, field: Field, reach: number): Trail[] {
  const value = new Float64Array(3);
  const { knotsU, knotsV } = f.surface;
  const [ua, ub, va, vb] = [knotsU[0], knotsU[knotsU.length - 1], knotsV[0], knotsV[knotsV.length - 1]];
  const steep = (p: Crossing): number => {
    field.at(t.face, p.u, p.v, value);
    evaluateSurface(f.surface, p.u, p.v, 1, jet);
    return Math.hypot(value[1] / (Math.hypot(jet[6], jet[7], jet[8]) || 1), value[2] / (Math.hypot(jet[3], jet[4], jet[5]) || 1));
  };
  const slopes = t.places.map(steep);
  const usual = [...slopes].sort((x, y) => x - y)[slopes.length >> 1];
  const saddles: { u: number; v: number; point: Vec3 }[] = [];
  slopes.forEach((x, i) => {
    if (x > 0.25 * usual || (slopes[i - 1] ?? Infinity) < x || (slopes[i + 1] ?? Infinity) < x) return;
    // Newton's method on both derivatives; their own derivatives by central differences
    let { u, v } = t.places[i];
    const [hu, hv] = [1e-5 * (ub - ua), 1e-5 * (vb - va)];
    const grad = (a: number, c: number): [number, number] => {
      field.at(t.face, a, c, value);
      return [value[1], value[2]];
    };
    for (let k = 0; k < 30; k++) {
      const g = grad(u, v);
      const [p, q, r, s] = [grad(u + hu, v), grad(u - hu, v), grad(u, v + hv), grad(u, v - hv)];
      const [a, b, c, d] = [(p[0] - q[0]) / (2 * hu), (r[0] - s[0]) / (2 * hv), (p[1] - q[1]) / (2 * hu), (r[1] - s[1]) / (2 * hv)];
      const det = a * d - b * c;
      if (!(Math.abs(det) > 1e-300)) return;
      const [du, dv] = [-(g[0] * d - b * g[1]) / det, -(a * g[1] - c * g[0]) / det];
      if (Math.abs(du) > 0.2 * (ub - ua) || Math.abs(dv) > 0.2 * (vb - va)) return;
      u += du;
      v += dv;
      if (Math.abs(du) < 1e-13 * (ub - ua) && Math.abs(dv) < 1e-13 * (vb - va)) break;
    }
    // on a seam rounding may put it a hair outside
    const slack = 1e-7;
    if (u < ua - slack * (ub - ua) || u > ub + slack * (ub - ua) || v < va - slack * (vb - va) || v > vb + slack * (vb - va)) return;
    [u, v] = [Math.min(ub, Math.max(ua, u)), Math.min(vb, Math.max(va, v))];
    field.at(t.face, u, v, value);
    if (Math.abs(value[0]) > 10 * field.zero) return;
    evaluateSurface(f.surface, u, v, 0, jet);
    const point: Vec3 = [jet[0], jet[1], jet[2]];
    if (!saddles.some((q) => distance(q.point, point) < 1e-6)) saddles.push({ u, v, point });
  });
  if (!saddles.length) return [t];
  const at = (p: Crossing): Vec3 => {
    evaluateSurface(f.surface, p.u, p.v, 0, jet);
    return [jet[0], jet[1], jet[2]];
  };
  // places near a saddle go, and what is left of the trail ends in it; a closed one is opened at a saddle first
  const near = t.places.map((p) => saddles.findIndex((q) => distance(q.point, at(p)) < 1.2 * reach));
  const n = t.places.length;
  const turn = t.closed ? near.findIndex((k, i) => k >= 0 && near[(i + 1) % n] < 0) + 1 : 0;
  const order = Array.from({ length: n }, (_, i) => (i + turn) % n);
  const out: Trail[] = [];
  let run: Crossing[] = t.closed ? [saddles[near[(turn + n - 1) % n]]] : [];
  for (const i of order) {
    const k = near[i];
    if (k < 0) run.push(t.places[i]);
    else if (run.length) {
      run.push(saddles[k]);
      // nothing but the saddle on both sides is no trail
      if (run.length > 2 || run[0] !== run[run.length - 1]) out.push({ face: t.face, places: run, closed: false });
      run = [];
    }
    if (k >= 0 && near[order[(order.indexOf(i) + 1) % n]] < 0) run = [saddles[k]];
  }
  if (run.length > 1) out.push({ face: t.face, places: run, closed: false });
  return out;
}

const found = new Float64Array(3);
/** Newton steps to the zero set, across it in the metric of the surface. */
function settle(f: Face, face: number, field: Field, u0: number, v0: number): { u: number; v: number; point: Vec3; off: number } {
  let [u, v] = [u0, v0];
  const { knotsU, knotsV } = f.surface;
  const [ua, ub, va, vb] = [knotsU[0], knotsU[knotsU.length - 1], knotsV[0], knotsV[knotsV.length - 1]];
  for (let k = 0; ; k++) {
    evaluateSurface(f.surface, u, v, 1, jet);
    if (field.fromJet) field.fromJet(jet, found);
    else field.at(face, u, v, found);
    if (k === 12 || Math.abs(found[0]) < 1e-13) break;
    const E = jet[6] * jet[6] + jet[7] * jet[7] + jet[8] * jet[8];
    const F = jet[6] * jet[3] + jet[7] * jet[4] + jet[8] * jet[5];
    const G = jet[3] * jet[3] + jet[4] * jet[4] + jet[5] * jet[5];
    const D = E * G - F * F;
    if (!(D > 0)) break;
    const [gu, gv] = [(G * found[1] - F * found[2]) / D, (E * found[2] - F * found[1]) / D];
    const slope = found[1] * gu + found[2] * gv;
    if (!(slope > 1e-30)) break;
    const step = found[0] / slope;
    const [u1, v1] = [Math.min(ub, Math.max(ua, u - step * gu)), Math.min(vb, Math.max(va, v - step * gv))];
    // rounding keeps it from coming nearer
    if (u1 === u && v1 === v) break;
    [u, v] = [u1, v1];
  }
  return { u, v, point: [jet[0], jet[1], jet[2]], off: Math.abs(found[0]) };
}

/** A trail made dense and even on the zero set, cut and split as asked, fitted piece by piece. */
function smooth(b: Body, trail: Trail, field: Field, size: number, o: ContourOptions): SkinCurve[] {
  const f = b.faces[trail.face];
  const at = (u: number, v: number): Vec3 => {
    evaluateSurface(f.surface, u, v, 0, jet);
    return [jet[0], jet[1], jet[2]];
  };
  let places = trail.places.map((p) => ({ ...p, point: at(p.u, p.v) }));
  if (trail.closed) places = [...places, places[0]];
  const total = places.reduce((s, p, i) => (i ? s + distance(p.point, places[i - 1].point) : 0), 0);
  if (total < 1e-7 * size) return [];
  // places much closer than the rest make the parameter jump: they are left out
  const thin = (0.35 * total) / places.length;
  const kept = [places[0]];
  for (let i = 1; i + 1 < places.length; i++) if (distance(places[i].point, kept[kept.length - 1].point) > thin) kept.push(places[i]);
  const last = places[places.length - 1];
  if (kept.length > 1 && distance(last.point, kept[kept.length - 1].point) < thin) kept.pop();
  kept.push(last);
  const guess = through(kept, trail.closed);
  const dense: { u: number; v: number; point: Vec3 }[] = [];
  const n = Math.max(24, 6 * (kept.length - 1));
  for (let i = 0; i <= n; i++) {
    if (!trail.closed && (i === 0 || i === n)) dense.push(kept[i === 0 ? 0 : kept.length - 1]);
    else if (trail.closed && i === n) dense.push(dense[0]);
    else {
      const q = guess.at(i / n);
      const s = settle(f, trail.face, field, q[0], q[1]);
      if (s.off <= Math.max(field.zero, 1e-9)) dense.push(s);
    }
  }
  const along = through(dense, trail.closed, true);
  const length = along.total;
  const place = (s: number) => {
    if (!trail.closed && s <= 0) return { u: kept[0].u, v: kept[0].v, point: kept[0].point };
    if (!trail.closed && s >= length) return { u: last.u, v: last.v, point: last.point };
    const q = along.at(s);
    return settle(f, trail.face, field, q[0], q[1]);
  };
  const cuts = new Set<number>([0, length]);
  const steps = 4 * n;
  for (const test of [o.keep, o.split]) {
    if (!test) continue;
    const value = (s: number) => {
      const p = place(s);
      return test(trail.face, p.point, p.u, p.v);
    };
    let before = value(0);
    for (let i = 1; i <= steps; i++) {
      const now = value((length * i) / steps);
      if (before < 0 !== now < 0) {
        let [low, high] = [(length * (i - 1)) / steps, (length * i) / steps];
        for (let k = 0; k < 44; k++) {
          const mid = (low + high) / 2;
          if (value(mid) < 0 === before < 0) low = mid;
          else high = mid;
        }
        cuts.add((low + high) / 2);
      }
      before = now;
    }
  }
  const list = [...cuts].sort((x, y) => x - y).filter((x, i, l) => i === 0 || x - l[i - 1] > 1e-9 * length);
  let ranges = list.slice(1).map((end, i) => [list[i], end] as const);
  if (o.keep) {
    const keep = o.keep;
    ranges = ranges.filter(([a, c]) => {
      const p = place((a + c) / 2);
      return keep(trail.face, p.point, p.u, p.v) >= 0;
    });
  }
  // a closed trail that was cut begins anywhere: its first and last piece are one
  if (trail.closed && ranges.length > 1 && ranges[0][0] === 0 && ranges[ranges.length - 1][1] === length) {
    const first = ranges[0];
    const tail = ranges[ranges.length - 1];
    const same =
      !o.split ||
      o.split(trail.face, place(first[1] / 2).point, place(first[1] / 2).u, place(first[1] / 2).v) < 0 ===
        sideOf(o.split, trail.face, place((tail[0] + tail[1]) / 2));
    if (same) ranges = [...ranges.slice(1, -1), [tail[0], length + first[1]] as const];
  }
  return ranges.flatMap(([a, c]): SkinCurve[] => {
    const wrapped = (s: number) => place(s > length ? s - length : s);
    const closed = trail.closed && c - a >= length * (1 - 1e-9);
    // where it crosses the surface's knots the dense places are near enough: they need not be settled anew
    const rough = (s: number): readonly [number, number] => {
      const x = s > length ? s - length : s;
      return !trail.closed && (x <= 0 || x >= length) ? (x <= 0 ? [kept[0].u, kept[0].v] : [last.u, last.v]) : along.at(x);
    };
    const seeds = breaksAlong({ total: c - a, near: (s) => s }, (s) => [{ s: f.surface, uv: rough(a + s) }]);
    const fit = (closed ? fitPeriodic : fitFunction)(
      (s, out) => {
        out.set(wrapped(a + s).point);
      },
      0,
      c - a,
      3,
      5,
      o.tolerance,
      seeds,
      400,
    );
    const curve = curveOfFit(fit, 5);
    return [{ face: trail.face, curve, length: c - a, closed, place: (s) => wrapped(a + s) }];
  });
}
const sideOf = (split: NonNullable<ContourOptions['split']>, face: number, p: { u: number; v: number; point: Vec3 }) =>
  split(face, p.point, p.u, p.v) < 0;

/** Cubic through places in (u, v); parameter 0..1, or the chord length in space. Closed ones go on over both ends, so that they repeat. */
function through(
  list: readonly { u: number; v: number; point: Vec3 }[],
  closed: boolean,
  byLength = false,
): { at: (t: number) => readonly [number, number]; total: number } {
  const places = list.map((p) => [p.u, p.v]);
  const steps = list.slice(1).map((p, i) => Math.max(1e-12, distance(p.point, list[i].point)));
  const total = steps.reduce((a, c) => a + c, 0);
  let at = [0];
  for (const s of steps) at.push(at[at.length - 1] + s);
  if (closed) {
    const n = list.length - 1;
    const over = Math.min(n, 14);
    const before = Array.from({ length: over }, (_, k) => n - over + k);
    const after = Array.from({ length: over }, (_, k) => k + 1);
    at = [...before.map((k) => at[k] - total), ...at, ...after.map((k) => at[k] + total)];
    places.unshift(...before.map((k) => [list[k].u, list[k].v]));
    places.push(...after.map((k) => [list[k].u, list[k].v]));
  }
  const degree = Math.min(3, places.length - 1);
  const knots = averagedKnots(at, degree);
  const net = interpolateInSpace(degree, knots, Float64Array.from(at), Float64Array.from(places.flat()), 2);
  if (!net) throw new Error('places along a curve fall together');
  const row = new Float64Array(2);
  return {
    total: byLength ? total : 1,
    at: (t) => {
      evaluateNet(net, byLength ? t : t * total, row);
      return [row[0], row[1]];
    },
  };
}
