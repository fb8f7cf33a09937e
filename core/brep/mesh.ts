import Constrainautor from '@kninnug/constrainautor';
import Delaunator from 'delaunator';
import type { Vec3 } from '../math/index.ts';
import { evaluateSurface, knotRuns, surfaceNormal } from '../nurbs/index.ts';
import { type Body, edgePoint, type Face, type Trace, traceBreaks, tracePoint, traceTangent, useUV } from './body.ts';

export interface MeshOptions {
  /** Largest chord error, mm. */
  readonly chord: number;
  /** Largest turn between neighbouring normals or tangents, radians. */
  readonly angle?: number;
}

/**
 * Display and measuring mesh of a body. Nodes on edges are shared between faces through `shared`, so neighbours never crack.
 * `positions`, `normals`, `uv` run per node (a node belongs to one face); `indices` are triangles, outward by the right-hand rule.
 */
export interface BodyMesh {
  readonly positions: Float64Array;
  /** Unit normals, outward. */
  readonly normals: Float64Array;
  readonly uv: Float64Array;
  /** Gaussian and mean curvature per node (1/mm², 1/mm); mean is positive where the body bends towards its outside normal. */
  readonly curvature: Float64Array;
  readonly indices: Uint32Array;
  /** First index and count in `indices` for each face. */
  readonly faceRanges: Uint32Array;
  /** For each node the id of its point in space: equal ids are equal points. */
  readonly shared: Uint32Array;
  /** Polyline of every edge: xyz, and [first point, count] pairs. */
  readonly edgePoints: Float64Array;
  readonly edgeRanges: Uint32Array;
  /** Faces that could not be triangulated. */
  readonly failed: readonly number[];
}

/** Parameters along an edge with chord error below `chord` and turning below `angle` (bisection, breaks kept). */
export function edgeParameters(e: Trace & { range: readonly [number, number] }, chord: number, angle: number, minimum = 1): number[] {
  const seeds = traceBreaks(e, e.range[0], e.range[1]);
  const out = [seeds[0]];
  const refine = (a: number, b: number, depth: number) => {
    const m = (a + b) / 2;
    const [pa, ta] = traceTangent(e, a);
    const [pb, tb] = traceTangent(e, b);
    const pm = tracePoint(e, m);
    const dev = Math.hypot(pm[0] - (pa[0] + pb[0]) / 2, pm[1] - (pa[1] + pb[1]) / 2, pm[2] - (pa[2] + pb[2]) / 2);
    const la = Math.hypot(...ta);
    const lb = Math.hypot(...tb);
    const c = la > 0 && lb > 0 ? (ta[0] * tb[0] + ta[1] * tb[1] + ta[2] * tb[2]) / (la * lb) : 1;
    if (depth < 14 && (dev > chord || (c < Math.cos(angle) && dev > 1e-3 * chord))) {
      refine(a, m, depth + 1);
      refine(m, b, depth + 1);
    } else out.push(b);
  };
  const straight = e.curve.degree === 1 && !e.turn;
  for (let i = 0; i + 1 < seeds.length; i++) {
    if (straight) out.push(seeds[i + 1]);
    else {
      const m = (seeds[i] + seeds[i + 1]) / 2;
      refine(seeds[i], m, 0);
      refine(m, seeds[i + 1], 0);
    }
  }
  if (out.length - 1 < minimum) {
    const [a, b] = e.range;
    return Array.from({ length: minimum + 1 }, (_, i) => (i === minimum ? b : a + ((b - a) * i) / minimum));
  }
  return out;
}

/** Meshes a body. Never throws; faces that cannot be triangulated are listed in `failed`. */
export function meshBody(b: Body, options: MeshOptions): BodyMesh {
  // edges and triangles are tested at midpoints and centroids only: a margin keeps the rest within the limit
  const chord = 0.75 * options.chord;
  const angle = options.angle ?? 0.3;
  const points: number[] = [];
  const point = (p: Vec3) => points.push(p[0], p[1], p[2]) / 3 - 1;
  const vertexId = b.vertices.map((v) => point(v.point));
  const sampled = b.edges.map((e) => {
    const ts = e.degenerate ? [...e.range] : edgeParameters(e, chord, angle, e.start === e.end ? 4 : 1);
    const ids = ts.map((t, i) => (i === 0 ? vertexId[e.start] : i === ts.length - 1 ? vertexId[e.end] : point(edgePoint(e, t))));
    return { ts, ids };
  });
  const out = { positions: [] as number[], normals: [] as number[], uv: [] as number[], curvature: [] as number[], indices: [] as number[], shared: [] as number[] };
  const faceRanges = new Uint32Array(b.faces.length * 2);
  const failed: number[] = [];
  b.faces.forEach((f, fi) => {
    faceRanges[fi * 2] = out.indices.length;
    try {
      meshFace(b, f, sampled, points, chord, angle, out);
    } catch {
      failed.push(fi);
      out.indices.length = faceRanges[fi * 2];
    }
    faceRanges[fi * 2 + 1] = out.indices.length - faceRanges[fi * 2];
  });
  const edgePoints: number[] = [];
  const edgeRanges = new Uint32Array(b.edges.length * 2);
  sampled.forEach((s, i) => {
    edgeRanges[i * 2] = edgePoints.length / 3;
    edgeRanges[i * 2 + 1] = s.ids.length;
    for (const id of s.ids) edgePoints.push(points[id * 3], points[id * 3 + 1], points[id * 3 + 2]);
  });
  return {
    positions: Float64Array.from(out.positions),
    normals: Float64Array.from(out.normals),
    uv: Float64Array.from(out.uv),
    curvature: Float64Array.from(out.curvature),
    indices: Uint32Array.from(out.indices),
    shared: Uint32Array.from(out.shared),
    faceRanges,
    edgePoints: Float64Array.from(edgePoints),
    edgeRanges,
    failed,
  };
}

interface Sampled {
  readonly ts: readonly number[];
  readonly ids: readonly number[];
}
interface Out {
  positions: number[];
  normals: number[];
  uv: number[];
  curvature: number[];
  indices: number[];
  shared: number[];
}

function meshFace(_b: Body, f: Face, sampled: readonly Sampled[], points: number[], chord: number, angle: number, out: Out): void {
  const uv: number[] = [];
  const ids: number[] = [];
  const loops: number[][] = [];
  for (const loop of f.loops) {
    const ring: number[] = [];
    for (const use of loop) {
      const s = sampled[use.edge];
      const n = s.ts.length;
      for (let k = 0; k + 1 < n; k++) {
        const i = use.reversed ? n - 1 - k : k;
        const p = useUV(f, use, s.ts[i]);
        ring.push(ids.length);
        ids.push(s.ids[i]);
        uv.push(p[0], p[1]);
      }
    }
    loops.push(ring);
  }
  const [min, size] = uvBox(uv);
  // quantised so that corners of neighbouring pcurves agree bit by bit
  const q = 2 ** 40;
  for (let i = 0; i < uv.length; i++) uv[i] = min[i % 2] + (Math.round(((uv[i] - min[i % 2]) / size[i % 2]) * q) / q) * size[i % 2];
  const scaleUV = metric(f, min, size, chord);
  const inner = innerPoints(f, loops, uv, min, size, scaleUV, chord, angle);
  const border = ids.length;
  uv.push(...inner);
  const deep = (u: number, v: number) => surfaceAt(f, u, v);
  let triangles: Uint32Array | number[] = [];
  const isFlat = f.record?.type === 1 || (f.surface.degreeU === 1 && f.surface.degreeV === 1 && f.surface.countU === 2 && f.surface.countV === 2 && innerFlat(f));
  const checked = { edges: new Set<number>(), triangles: new Map<number, number[]>() };
  for (let pass = 0; pass < 8; pass++) {
    triangles = triangulate(uv, loops, border, scaleUV);
    if (isFlat) break;
    const extra = refinePoints(f, uv, triangles, border, chord, deep, checked);
    if (!extra.length || uv.length > 240000) break;
    uv.push(...extra);
  }
  const base = out.positions.length / 3;
  const sign = f.reversed ? -1 : 1;
  const jet = new Float64Array(27);
  for (let i = 0; i < uv.length / 2; i++) {
    const u = uv[2 * i];
    const v = uv[2 * i + 1];
    evaluateSurface(f.surface, u, v, 2, jet);
    let id: number;
    if (i < border) id = ids[i];
    else {
      id = points.length / 3;
      points.push(jet[0], jet[1], jet[2]);
    }
    out.shared.push(id);
    out.positions.push(points[id * 3], points[id * 3 + 1], points[id * 3 + 2]);
    let n = jetNormal(jet);
    if (n[0] === 0 && n[1] === 0 && n[2] === 0) n = surfaceNormal(f.surface, u, v);
    out.normals.push(sign * n[0], sign * n[1], sign * n[2]);
    out.uv.push(u, v);
    const d = (a: number, c: number) => jet[a] * jet[c] + jet[a + 1] * jet[c + 1] + jet[a + 2] * jet[c + 2];
    const nn = (a: number) => jet[a] * n[0] + jet[a + 1] * n[1] + jet[a + 2] * n[2];
    const [E, F, G, L, M, N] = [d(9, 9), d(9, 3), d(3, 3), nn(18), nn(12), nn(6)];
    const D = E * G - F * F;
    out.curvature.push(D > 1e-20 ? (L * N - M * M) / D : 0, D > 1e-20 ? (sign * (E * N - 2 * F * M + G * L)) / (2 * D) : 0);
  }
  for (let t = 0; t < triangles.length; t += 3) {
    const a = triangles[t];
    let [c, d] = [triangles[t + 1], triangles[t + 2]];
    const [ia, ic, id] = [out.shared[base + a], out.shared[base + c], out.shared[base + d]];
    if (ia === ic || ic === id || ia === id) continue;
    const area = (uv[2 * c] - uv[2 * a]) * (uv[2 * d + 1] - uv[2 * a + 1]) - (uv[2 * d] - uv[2 * a]) * (uv[2 * c + 1] - uv[2 * a + 1]);
    if (area > 0 === f.reversed) [c, d] = [d, c];
    out.indices.push(base + a, base + c, base + d);
  }
}

function innerFlat(f: Face): boolean {
  const j = new Float64Array(27);
  const [u, v] = [(f.surface.knotsU[1] + f.surface.knotsU[2]) / 2, (f.surface.knotsV[1] + f.surface.knotsV[2]) / 2];
  evaluateSurface(f.surface, u, v, 2, j);
  return Math.hypot(j[12], j[13], j[14]) < 1e-12;
}

function uvBox(uv: readonly number[]): [[number, number], [number, number]] {
  const min: [number, number] = [Infinity, Infinity];
  const max: [number, number] = [-Infinity, -Infinity];
  for (let i = 0; i < uv.length; i++) {
    if (uv[i] < min[i % 2]) min[i % 2] = uv[i];
    if (uv[i] > max[i % 2]) max[i % 2] = uv[i];
  }
  return [min, [Math.max(max[0] - min[0], 1e-300), Math.max(max[1] - min[1], 1e-300)]];
}

const probe = new Float64Array(27);
/** Unit normal out of an order-2 jet; zero where the surface is singular. */
function jetNormal(j: Float64Array): Vec3 {
  const x = j[10] * j[5] - j[11] * j[4];
  const y = j[11] * j[3] - j[9] * j[5];
  const z = j[9] * j[4] - j[10] * j[3];
  const l = Math.sqrt(x * x + y * y + z * z);
  return l > 1e-12 * (j[3] * j[3] + j[4] * j[4] + j[5] * j[5] + j[9] * j[9] + j[10] * j[10] + j[11] * j[11]) ? [x / l, y / l, z / l] : [0, 0, 0];
}
const slope = new Float64Array(12);
function surfaceAt(f: Face, u: number, v: number): Vec3 {
  evaluateSurface(f.surface, u, v, 0, probe);
  return [probe[0], probe[1], probe[2]];
}

/** Mean stretch in u and v relative to the wanted triangle size, so that triangles come out well shaped where it matters. */
function metric(f: Face, min: readonly number[], size: readonly number[], chord: number): [number, number] {
  let lu = 0;
  let lv = 0;
  let ku = 0;
  let kv = 0;
  for (let i = 0; i < 5; i++)
    for (let j = 0; j < 5; j++) {
      const u = min[0] + (size[0] * (i + 0.5)) / 5;
      const v = min[1] + (size[1] * (j + 0.5)) / 5;
      evaluateSurface(f.surface, u, v, 2, probe);
      const n = jetNormal(probe);
      const su = Math.hypot(probe[9], probe[10], probe[11]);
      const sv = Math.hypot(probe[3], probe[4], probe[5]);
      lu += su;
      lv += sv;
      if (su > 0) ku = Math.max(ku, Math.abs(probe[18] * n[0] + probe[19] * n[1] + probe[20] * n[2]) / (su * su));
      if (sv > 0) kv = Math.max(kv, Math.abs(probe[6] * n[0] + probe[7] * n[1] + probe[8] * n[2]) / (sv * sv));
    }
  const wu = Math.sqrt((8 * chord) / Math.max(ku, 1e-9));
  const wv = Math.sqrt((8 * chord) / Math.max(kv, 1e-9));
  const aspect = Math.min(8, Math.max(1 / 8, wu / wv));
  const r = Math.sqrt(aspect);
  return [lu / 25 / r || 1e-12, (lv / 25) * r || 1e-12];
}

/** Grid points from recursive halving where the surface bends, inside the loops and clear of the border. */
function innerPoints(
  f: Face,
  loops: readonly number[][],
  uv: readonly number[],
  min: readonly number[],
  size: readonly number[],
  scale: readonly [number, number],
  chord: number,
  angle: number,
): number[] {
  const s = f.surface;
  const ku = knotRuns(s.knotsU, s.degreeU).values;
  const kv = knotRuns(s.knotsV, s.degreeV).values;
  const cuts = (k: number[], a: number, w: number) => [a, ...k.filter((t) => t > a + 1e-6 * w && t < a + w - 1e-6 * w), a + w];
  const found = new Map<string, [number, number, number]>();
  const visit = (u0: number, u1: number, v0: number, v1: number, depth: number) => {
    const um = (u0 + u1) / 2;
    const vm = (v0 + v1) / 2;
    let bendU = 0;
    let bendV = 0;
    let turnU = 0;
    let turnV = 0;
    for (const [u, v] of [
      [um, vm],
      [u0 * 0.9 + u1 * 0.1, v0 * 0.9 + v1 * 0.1],
      [u0 * 0.1 + u1 * 0.9, v0 * 0.1 + v1 * 0.9],
      [u0 * 0.1 + u1 * 0.9, v0 * 0.9 + v1 * 0.1],
      [u0 * 0.9 + u1 * 0.1, v0 * 0.1 + v1 * 0.9],
    ]) {
      evaluateSurface(s, u, v, 2, probe);
      const n = jetNormal(probe);
      const su = Math.hypot(probe[9], probe[10], probe[11]);
      const sv = Math.hypot(probe[3], probe[4], probe[5]);
      const suu = Math.abs(probe[18] * n[0] + probe[19] * n[1] + probe[20] * n[2]);
      const svv = Math.abs(probe[6] * n[0] + probe[7] * n[1] + probe[8] * n[2]);
      const suv = Math.abs(probe[12] * n[0] + probe[13] * n[1] + probe[14] * n[2]);
      const du = u1 - u0;
      const dv = v1 - v0;
      bendU = Math.max(bendU, (suu * du * du) / 8 + (suv * du * dv) / 8);
      bendV = Math.max(bendV, (svv * dv * dv) / 8 + (suv * du * dv) / 8);
      turnU = Math.max(turnU, su > 1e-9 ? (suu / su) * du : 0);
      turnV = Math.max(turnV, sv > 1e-9 ? (svv / sv) * dv : 0);
    }
    const small = chord * 0.02;
    const splitU = bendU > chord || (turnU > angle && bendU > small);
    const splitV = bendV > chord || (turnV > angle && bendV > small);
    if (depth < 9 && (splitU || splitV)) {
      const us = splitU ? [u0, um, u1] : [u0, u1];
      const vs = splitV ? [v0, vm, v1] : [v0, v1];
      for (let i = 0; i + 1 < us.length; i++) for (let j = 0; j + 1 < vs.length; j++) visit(us[i], us[i + 1], vs[j], vs[j + 1], depth + 1);
      return;
    }
    const reach = 0.5 * Math.min((u1 - u0) * scale[0], (v1 - v0) * scale[1]);
    for (const u of [u0, u1])
      for (const v of [v0, v1]) {
        const key = `${u},${v}`;
        const old = found.get(key);
        if (!old || old[2] > reach) found.set(key, [u, v, reach]);
      }
  };
  const us = cuts(ku, min[0], size[0]);
  const vs = cuts(kv, min[1], size[1]);
  const flat = f.record?.type === 1;
  if (flat) return [];
  for (let i = 0; i + 1 < us.length; i++) for (let j = 0; j + 1 < vs.length; j++) visit(us[i], us[i + 1], vs[j], vs[j + 1], 0);
  const segments = loops.flatMap((ring) => ring.map((a, i) => [a, ring[(i + 1) % ring.length]] as const));
  const out: number[] = [];
  const grid = segmentGrid(segments, uv, min, size);
  for (const [u, v, reach] of found.values()) {
    if (!insideLoops(u, v, segments, uv)) continue;
    if (grid.near(u, v, scale, reach)) continue;
    out.push(u, v);
  }
  return out;
}

/** Uniform bins over border segments, so that the clearance test stays local. */
function segmentGrid(segments: readonly (readonly [number, number])[], uv: readonly number[], min: readonly number[], size: readonly number[]) {
  const n = Math.max(1, Math.min(64, Math.ceil(Math.sqrt(segments.length))));
  const bins: number[][] = Array.from({ length: n * n }, () => []);
  const cell = (x: number, d: number) => Math.min(n - 1, Math.max(0, Math.floor(((x - min[d]) / size[d]) * n)));
  segments.forEach(([a, c], k) => {
    const [i0, i1] = [cell(Math.min(uv[2 * a], uv[2 * c]), 0), cell(Math.max(uv[2 * a], uv[2 * c]), 0)];
    const [j0, j1] = [cell(Math.min(uv[2 * a + 1], uv[2 * c + 1]), 1), cell(Math.max(uv[2 * a + 1], uv[2 * c + 1]), 1)];
    for (let i = i0; i <= i1; i++) for (let j = j0; j <= j1; j++) bins[i * n + j].push(k);
  });
  return {
    near(u: number, v: number, scale: readonly [number, number], reach: number): boolean {
      const ru = reach / scale[0];
      const rv = reach / scale[1];
      for (let i = cell(u - ru, 0); i <= cell(u + ru, 0); i++)
        for (let j = cell(v - rv, 1); j <= cell(v + rv, 1); j++)
          for (const k of bins[i * n + j]) {
            const [a, c] = segments[k];
            const ax = (uv[2 * a] - u) * scale[0];
            const ay = (uv[2 * a + 1] - v) * scale[1];
            const dx = (uv[2 * c] - uv[2 * a]) * scale[0];
            const dy = (uv[2 * c + 1] - uv[2 * a + 1]) * scale[1];
            const l = dx * dx + dy * dy;
            const t = l > 0 ? Math.min(1, Math.max(0, -(ax * dx + ay * dy) / l)) : 0;
            if (Math.hypot(ax + t * dx, ay + t * dy) < reach) return true;
          }
      return false;
    },
  };
}

function insideLoops(u: number, v: number, segments: readonly (readonly [number, number])[], uv: readonly number[]): boolean {
  let odd = false;
  for (const [a, c] of segments) {
    const va = uv[2 * a + 1];
    const vc = uv[2 * c + 1];
    if (va > v !== vc > v && u < ((uv[2 * c] - uv[2 * a]) * (v - va)) / (vc - va) + uv[2 * a]) odd = !odd;
  }
  return odd;
}

/** Constrained Delaunay triangles inside the loops (flood fill across unconstrained edges with parity). */
function triangulate(uv: readonly number[], loops: readonly number[][], border: number, scale: readonly [number, number]): number[] {
  const coords = new Float64Array(uv.length);
  for (let i = 0; i < uv.length; i++) coords[i] = uv[i] * scale[i % 2];
  // equal border points (a seam touched twice, closed loops) stay one for the triangulator
  const first = new Map<string, number>();
  const alias = new Int32Array(uv.length / 2);
  for (let i = 0; i < alias.length; i++) {
    const key = `${coords[2 * i]},${coords[2 * i + 1]}`;
    const k = i < border ? first.get(key) : undefined;
    if (k === undefined && i < border) first.set(key, i);
    alias[i] = k ?? i;
  }
  const d = new Delaunator(coords);
  const edges: [number, number][] = [];
  for (const ring of loops)
    ring.forEach((a, i) => {
      const x = alias[a];
      const y = alias[ring[(i + 1) % ring.length]];
      if (x !== y) edges.push([x, y]);
    });
  const con = new Constrainautor(d as never);
  const fixed = new Map<string, number>();
  for (const [a, c] of edges) {
    const key = a < c ? `${a},${c}` : `${c},${a}`;
    fixed.set(key, (fixed.get(key) ?? 0) + 1);
  }
  for (const [a, c] of edges) con.constrainOne(a, c);
  const { triangles, halfedges } = d;
  const inside = new Int8Array(triangles.length / 3).fill(-1);
  const wall = (e: number) => {
    const a = triangles[e];
    const c = triangles[e % 3 === 2 ? e - 2 : e + 1];
    return (fixed.get(a < c ? `${a},${c}` : `${c},${a}`) ?? 0) % 2 === 1;
  };
  const queue: number[] = [];
  for (let e = 0; e < halfedges.length; e++)
    if (halfedges[e] < 0) {
      const t = Math.floor(e / 3);
      const state = wall(e) ? 1 : 0;
      if (inside[t] < 0) {
        inside[t] = state;
        queue.push(t);
      }
    }
  for (let k = 0; k < queue.length; k++) {
    const t = queue[k];
    for (let e = 3 * t; e < 3 * t + 3; e++) {
      const o = halfedges[e];
      if (o < 0) continue;
      const n = Math.floor(o / 3);
      if (inside[n] >= 0) continue;
      inside[n] = wall(e) ? 1 - inside[t] : inside[t];
      queue.push(n);
    }
  }
  const out: number[] = [];
  for (let t = 0; t < inside.length; t++) if (inside[t] === 1) out.push(triangles[3 * t], triangles[3 * t + 1], triangles[3 * t + 2]);
  if (!out.length) throw new Error('no triangles');
  return out;
}

const midpoint = (p: Vec3, q: Vec3): Vec3 => [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2, (p[2] + q[2]) / 2];

/** Points to add: midpoints of free edges and centroids whose distance from the flat triangle exceeds the chord error. */
function refinePoints(
  f: Face,
  uv: readonly number[],
  triangles: ArrayLike<number>,
  border: number,
  chord: number,
  at: (u: number, v: number) => Vec3,
  checked: { edges: Set<number>; triangles: Map<number, number[]> },
): number[] {
  const seen = checked.edges;
  const known: (Vec3 | undefined)[] = [];
  const pos = (i: number): Vec3 => (known[i] ??= at(uv[2 * i], uv[2 * i + 1]));
  const out: number[] = [];
  const n = 2 ** 24;
  const count = new Map<number, number>();
  const key = (a: number, c: number) => (a < c ? a * n + c : c * n + a);
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const e = key(triangles[t + k], triangles[t + ((k + 1) % 3)]);
      count.set(e, (count.get(e) ?? 0) + 1);
    }
  const off = (chordPoint: Vec3, u: number, v: number) => {
    evaluateSurface(f.surface, u, v, 1, slope);
    const x = slope[7] * slope[5] - slope[8] * slope[4];
    const y = slope[8] * slope[3] - slope[6] * slope[5];
    const z = slope[6] * slope[4] - slope[7] * slope[3];
    const l = Math.sqrt(x * x + y * y + z * z) || 1;
    return Math.abs((slope[0] - chordPoint[0]) * x + (slope[1] - chordPoint[1]) * y + (slope[2] - chordPoint[2]) * z) / l;
  };
  for (let t = 0; t < triangles.length; t += 3) {
    // what was checked once stays good
    for (let k = 0; k < 3; k++) {
      const a = triangles[t + k];
      const c = triangles[t + ((k + 1) % 3)];
      const e = key(a, c);
      if (seen.has(e) || (a < border && c < border && count.get(e) === 1)) continue;
      seen.add(e);
      const u = (uv[2 * a] + uv[2 * c]) / 2;
      const v = (uv[2 * a + 1] + uv[2 * c + 1]) / 2;
      const mid: Vec3 = midpoint(pos(a), pos(c));
      if (off(mid, u, v) > chord) out.push(u, v);
    }
    const [a, c, d] = [triangles[t], triangles[t + 1], triangles[t + 2]].sort((x, y) => x - y);
    const known3 = checked.triangles.get(a * n + c);
    if (known3?.includes(d)) continue;
    if (known3) known3.push(d);
    else checked.triangles.set(a * n + c, [d]);
    const u = (uv[2 * a] + uv[2 * c] + uv[2 * d]) / 3;
    const v = (uv[2 * a + 1] + uv[2 * c + 1] + uv[2 * d + 1]) / 3;
    const [pa, pc, pd] = [pos(a), pos(c), pos(d)];
    const mid: Vec3 = [(pa[0] + pc[0] + pd[0]) / 3, (pa[1] + pc[1] + pd[1]) / 3, (pa[2] + pc[2] + pd[2]) / 3];
    if (off(mid, u, v) > chord * 1.05) out.push(u, v);
  }
  return out;
}

/** Edges of the mesh used by one triangle only, by shared point: zero on a closed body. */
export function crackCount(m: BodyMesh): number {
  const count = new Map<number, number>();
  const n = m.positions.length + 1;
  for (let t = 0; t < m.indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const a = m.shared[m.indices[t + k]];
      const b = m.shared[m.indices[t + ((k + 1) % 3)]];
      const e = a < b ? a * n + b : b * n + a;
      count.set(e, (count.get(e) ?? 0) + 1);
    }
  let open = 0;
  for (const c of count.values()) if (c !== 2) open++;
  return open;
}

/** Volume enclosed by the mesh (mm³). */
export function meshVolume(m: BodyMesh): number {
  let v = 0;
  const p = m.positions;
  for (let t = 0; t < m.indices.length; t += 3) {
    const [a, b, c] = [m.indices[t] * 3, m.indices[t + 1] * 3, m.indices[t + 2] * 3];
    v += p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) + p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) + p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c]);
  }
  return v / 6;
}
