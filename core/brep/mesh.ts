import { distance, type Vec3 } from '../math/index.ts';
import { evaluateSurface, surfaceNormal } from '../nurbs/index.ts';
import {
  type Body,
  edgePoint,
  type Face,
  type Trace,
  topologyOf,
  traceBreaks,
  tracePoint,
  traceTangent,
  type UseRef,
  useUV,
} from './body.ts';
import { innerPoints, jetCurvature, jetNormal, metric, surfaceAt } from './mesh-points.ts';
import { refinePoints, shadeOf, type TriangleLimits, triangulate, WORST } from './mesh-triangles.ts';
import { bendAlong, SHADE, shadeAt } from './shading.ts';

export interface MeshOptions {
  /** Largest chord error, mm. */
  readonly chord: number;
  /** Largest turn between neighbouring normals or tangents, radians. */
  readonly angle?: number;
  /** Longest triangle side wanted, mm, also where the body is flat: for looking for something on it. */
  readonly longest?: number;
  /** Largest angle between the interpolated normal and the surface's own, radians: for shading. */
  readonly normal?: number;
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
  /** Change of the outward normal in space per node, [xx, xy, xz, yy, yz, zz] in 1/mm (`shading.ts`); empty unless `normal` was asked for. */
  readonly bend: Float64Array;
  readonly indices: Uint32Array;
  /** First index and count in `indices` for each face. */
  readonly faceRanges: Uint32Array;
  /** For each node the id of its point in space: equal ids are equal points. */
  readonly shared: Uint32Array;
  /** Polyline of every edge: xyz, and [first point, count] pairs. */
  readonly edgePoints: Float64Array;
  readonly edgeRanges: Uint32Array;
  /** For each edge point its parameter on the edge and its id in `shared`. */
  readonly edgeAt: Float64Array;
  readonly edgeShared: Uint32Array;
  /** Triangles without area at poles: [face, node, node, node] each. They are not shown, but a curve on the body may pass through them. */
  readonly collapsed: Uint32Array;
  /** Faces that could not be triangulated. */
  readonly failed: readonly number[];
}

/** Breaks that crowd nearer than `least` (a fit graded towards a corner) are passed over: nobody sees them, and their triangles would have no width. */
function apart(e: Trace, breaks: readonly number[], least: number): number[] {
  const end = tracePoint(e, breaks[breaks.length - 1]);
  let last = tracePoint(e, breaks[0]);
  return breaks.filter((t, i) => {
    if (i === 0 || i === breaks.length - 1) return true;
    const p = tracePoint(e, t);
    if (distance(last, p) < least || distance(p, end) < least) return false;
    last = p;
    return true;
  });
}

/** Parameters along an edge with chord error below `chord` and turning below `angle` (bisection, breaks kept). */
export function edgeParameters(
  e: Trace & { range: readonly [number, number] },
  chord: number,
  angle: number,
  minimum = 1,
  longest = Infinity,
): number[] {
  const seeds = apart(e, traceBreaks(e, e.range[0], e.range[1]), 0.1 * chord);
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
    const far = Math.hypot(pb[0] - pa[0], pb[1] - pa[1], pb[2] - pa[2]) > longest;
    if (depth < 14 && (far || dev > chord || (c < Math.cos(angle) && dev > 1e-3 * chord))) {
      refine(a, m, depth + 1);
      refine(m, b, depth + 1);
    } else out.push(b);
  };
  const straight = e.curve.degree === 1 && !e.turn;
  for (let i = 0; i + 1 < seeds.length; i++) {
    if (straight && longest === Infinity) out.push(seeds[i + 1]);
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

/** Parameters of an edge, more of them where the normals of the faces along it turn otherwise than their blend does (`shading.ts`). */
function shadedParameters(b: Body, e: Trace, uses: readonly UseRef[], ts: readonly number[], shade: number): number[] {
  const at = (t: number): { p: Vec3; shades: Float64Array[] } => ({
    p: tracePoint(e, t),
    shades: uses.map(({ face, use }) => {
      const x = new Float64Array(SHADE);
      shadeAt(b.faces[face].surface, ...useUV(b.faces[face], use, t), x);
      return x;
    }),
  });
  const out = [ts[0]];
  type Place = ReturnType<typeof at>;
  const refine = (a: number, from: Place, c: number, to: Place, depth: number): void => {
    const m = (a + c) / 2;
    const mid = at(m);
    const dull = [0.5, WORST, 1 - WORST].some((w) => {
      const here = at((1 - w) * a + w * c);
      const flat = [0, 1, 2].map((d) => (1 - w) * from.p[d] + w * to.p[d]);
      const off = (p: Vec3): Vec3 => [flat[0] - p[0], flat[1] - p[1], flat[2] - p[2]];
      return here.shades.some((x, k) => {
        const [own, first, second] = [
          bendAlong(x, 0, off(here.p)),
          bendAlong(from.shades[k], 0, off(from.p)),
          bendAlong(to.shades[k], 0, off(to.p)),
        ];
        const n = [0, 1, 2].map((d) => x[d] + own[d]);
        const mean = [0, 1, 2].map((d) => (1 - w) * (from.shades[k][d] + first[d] / 2) + w * (to.shades[k][d] + second[d] / 2));
        const l = Math.hypot(...mean) * Math.hypot(...n);
        return !((1 - (mean[0] * n[0] + mean[1] * n[1] + mean[2] * n[2]) / l) / 2 <= shade);
      });
    });
    if (dull && depth < 6) {
      refine(a, from, m, mid, depth + 1);
      refine(m, mid, c, to, depth + 1);
    } else out.push(c);
  };
  const places = ts.map(at);
  for (let i = 0; i + 1 < ts.length; i++) refine(ts[i], places[i], ts[i + 1], places[i + 1], 0);
  return out;
}

/** How often the borders of faces whose border polygons cross are sampled anew, each time eight times closer. */
const CLOSER = 3;

/**
 * Meshes a body. Never throws; faces that cannot be triangulated are listed in `failed`. Where two edges of a face run nearer to each other
 * than the chord error, their polygons cross: then all edges of the face are sampled closer.
 */
export function meshBody(b: Body, options: MeshOptions): BodyMesh {
  const closer = new Map<number, number>();
  for (let round = 0; ; round++) {
    const last = round === CLOSER;
    const made = meshOnce(b, options, closer, !last);
    if (!made.failed.length || last) return made;
    for (const e of new Set(made.failed.flatMap((f) => b.faces[f].loops.flat().map((u) => u.edge))))
      closer.set(e, (closer.get(e) ?? 1) / 8);
  }
}
function meshOnce(b: Body, options: MeshOptions, closer: ReadonlyMap<number, number>, strict: boolean): BodyMesh {
  // edges and triangles are tested at midpoints and centroids only: a margin keeps the rest within the limit
  const chord = 0.75 * options.chord;
  const angle = options.angle ?? 0.3;
  const points: number[] = [];
  const point = (p: Vec3) => points.push(p[0], p[1], p[2]) / 3 - 1;
  const vertexId = b.vertices.map((v) => point(v.point));
  // midpoints are tested: a margin keeps the rest within the limit
  const shade = options.normal === undefined ? 1 : shadeOf(0.6 * options.normal);
  const uses = shade < 1 ? topologyOf(b).uses : [];
  const sampled = b.edges.map((e, i) => {
    const k = closer.get(i) ?? 1;
    const even = e.degenerate
      ? [...e.range]
      : edgeParameters(e, chord * k, angle * Math.sqrt(k), e.start === e.end ? 4 : 1, options.longest);
    const ts = shade < 1 && !e.degenerate ? shadedParameters(b, e, uses[i], even, shade) : even;
    const ids = ts.map((t, j) => (j === 0 ? vertexId[e.start] : j === ts.length - 1 ? vertexId[e.end] : point(edgePoint(e, t))));
    return { ts, ids };
  });
  const out = {
    positions: [] as number[],
    normals: [] as number[],
    uv: [] as number[],
    curvature: [] as number[],
    bend: [] as number[],
    indices: [] as number[],
    shared: [] as number[],
    collapsed: [] as number[],
  };
  const faceRanges = new Uint32Array(b.faces.length * 2);
  const failed: number[] = [];
  b.faces.forEach((f, fi) => {
    faceRanges[fi * 2] = out.indices.length;
    try {
      meshFace(f, fi, sampled, points, { chord, angle, longest: options.longest ?? Infinity, shade, strict }, out);
    } catch {
      failed.push(fi);
      out.indices.length = faceRanges[fi * 2];
    }
    faceRanges[fi * 2 + 1] = out.indices.length - faceRanges[fi * 2];
  });
  const edgePoints: number[] = [];
  const edgeAt: number[] = [];
  const edgeShared: number[] = [];
  const edgeRanges = new Uint32Array(b.edges.length * 2);
  sampled.forEach((s, i) => {
    edgeRanges[i * 2] = edgePoints.length / 3;
    edgeRanges[i * 2 + 1] = s.ids.length;
    for (const id of s.ids) edgePoints.push(points[id * 3], points[id * 3 + 1], points[id * 3 + 2]);
    edgeAt.push(...s.ts);
    edgeShared.push(...s.ids);
  });
  return {
    positions: Float64Array.from(out.positions),
    normals: Float64Array.from(out.normals),
    uv: Float64Array.from(out.uv),
    curvature: Float64Array.from(out.curvature),
    bend: Float64Array.from(out.bend),
    indices: Uint32Array.from(out.indices),
    shared: Uint32Array.from(out.shared),
    collapsed: Uint32Array.from(out.collapsed),
    faceRanges,
    edgePoints: Float64Array.from(edgePoints),
    edgeRanges,
    edgeAt: Float64Array.from(edgeAt),
    edgeShared: Uint32Array.from(edgeShared),
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
  bend: number[];
  indices: number[];
  shared: number[];
  collapsed: number[];
}

function meshFace(
  f: Face,
  face: number,
  sampled: readonly Sampled[],
  points: number[],
  limits: Required<Omit<MeshOptions, 'normal'>> & TriangleLimits & { readonly strict: boolean },
  out: Out,
): void {
  const { chord } = limits;
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
  const inner = innerPoints(f, loops, uv, min, size, scaleUV, limits);
  const border = ids.length;
  uv.push(...inner);
  const deep = (u: number, v: number) => surfaceAt(f, u, v);
  let triangles: Uint32Array | number[] = [];
  const isFlat =
    f.record?.type === 1 ||
    (f.surface.degreeU === 1 && f.surface.degreeV === 1 && f.surface.countU === 2 && f.surface.countV === 2 && innerFlat(f));
  const checked = { edges: new Set<number>(), triangles: new Map<number, number[]>(), shades: [] as (Float64Array | undefined)[] };
  for (let pass = 0; pass < 8; pass++) {
    triangles = triangulate(uv, loops, border, scaleUV, limits.strict && pass === 0);
    if (isFlat) break;
    const extra = refinePoints(f, uv, triangles, border, limits, deep, checked);
    if (!extra.length || uv.length > 240000) break;
    uv.push(...extra);
  }
  const base = out.positions.length / 3;
  const sign = f.reversed ? -1 : 1;
  const jet = new Float64Array(27);
  const shade = new Float64Array(SHADE);
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
    if (limits.shade < 1) {
      const known = checked.shades[i];
      if (!known) shadeAt(f.surface, u, v, shade);
      for (let k = 3; k < 9; k++) out.bend.push(sign * (known ?? shade)[k]);
    }
    const [gaussian, mean] = jetCurvature(jet, n);
    out.curvature.push(gaussian, sign * mean);
  }
  for (let t = 0; t < triangles.length; t += 3) {
    const a = triangles[t];
    let [c, d] = [triangles[t + 1], triangles[t + 2]];
    const [ia, ic, id] = [out.shared[base + a], out.shared[base + c], out.shared[base + d]];
    if (ia === ic || ic === id || ia === id) {
      out.collapsed.push(face, base + a, base + c, base + d);
      continue;
    }
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

/** Edges of the mesh, by shared point, that are not run as often one way as the other: zero on a closed body. Two faces may span the same chord of their border. */
export function crackCount(m: BodyMesh): number {
  const balance = new Map<number, number>();
  const n = m.positions.length + 1;
  for (let t = 0; t < m.indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const a = m.shared[m.indices[t + k]];
      const b = m.shared[m.indices[t + ((k + 1) % 3)]];
      const e = a < b ? a * n + b : b * n + a;
      balance.set(e, (balance.get(e) ?? 0) + (a < b ? 1 : -1));
    }
  let open = 0;
  for (const c of balance.values()) if (c !== 0) open++;
  return open;
}

/** Volume enclosed by the mesh (mm³). */
export function meshVolume(m: BodyMesh): number {
  let v = 0;
  const p = m.positions;
  for (let t = 0; t < m.indices.length; t += 3) {
    const [a, b, c] = [m.indices[t] * 3, m.indices[t + 1] * 3, m.indices[t + 2] * 3];
    v +=
      p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
      p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
      p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c]);
  }
  return v / 6;
}
