import {
  type Affine,
  applyPoint,
  applyVector,
  type Box,
  boxOf,
  boxUnion,
  cross,
  determinant,
  isRigid,
  unit,
  type Vec3,
} from '../math/index.ts';
import {
  curveExtent,
  type Extent,
  evaluateInto,
  evaluateSurface,
  knotRuns,
  type NurbsCurve,
  type NurbsSurface,
  surfaceNormal,
  transformCurve,
  transformSurface,
} from '../nurbs/index.ts';
import { type Turn, toRational, turnSlope } from './chart.ts';

/**
 * A curve and, when it is parameterised by angle, its turn map. `record` is the analytic form in the kernel's own numbers; it is kept so
 * that a circle goes back as a circle. A curve is always evaluated through its NURBS.
 */
export interface Trace {
  readonly curve: NurbsCurve;
  readonly turn?: Turn;
  readonly record?: AnalyticRecord;
}
/** Analytic form: type number and data of the kernel's text format (frames are P Z X Y). */
export interface AnalyticRecord {
  readonly type: number;
  readonly data: readonly number[];
  /** Generating curve of an extrusion or revolution. */
  readonly basis?: Trace;
}

export interface Vertex {
  readonly point: Vec3;
  readonly tolerance: number;
}
export interface Edge extends Trace {
  /** Parameter range of the edge on its curve (angles when it has a turn map). */
  readonly range: readonly [number, number];
  readonly start: number;
  readonly end: number;
  readonly tolerance: number;
  /** True at a pole: the edge has no length. */
  readonly degenerate?: boolean;
  readonly name: string;
}
/** One use of an edge by a face: its image in the face's chart, at the edge's own parameter. */
export interface EdgeUse {
  readonly edge: number;
  readonly pcurve: Trace;
  /** Runs against the edge (in the face taken forward). */
  readonly reversed: boolean;
}
export interface Face {
  readonly surface: NurbsSurface;
  /** Turn maps from chart coordinates (where pcurves live) to surface parameters. */
  readonly turnU?: Turn;
  readonly turnV?: Turn;
  readonly record?: AnalyticRecord;
  readonly loops: readonly (readonly EdgeUse[])[];
  /** The outside is against the surface normal. */
  readonly reversed: boolean;
  readonly name: string;
  readonly tolerance: number;
  /** sRGB hex, as imported or chosen. */
  readonly colour?: string;
}
export interface Shell {
  readonly faces: readonly number[];
  readonly closed: boolean;
}
/**
 * Our own immutable boundary representation: plain data, millimetres. Edges are shared between faces, so a seam is an edge used twice
 * and a rim an edge used once.
 */
export interface Body {
  readonly vertices: readonly Vertex[];
  readonly edges: readonly Edge[];
  readonly faces: readonly Face[];
  readonly shells: readonly Shell[];
  /** Solids as lists of shells, the outer one first. Empty for skins. */
  readonly solids: readonly (readonly number[])[];
}

const scratch = new Float64Array(12);
const jet = new Float64Array(12);

export function tracePoint(c: Trace, t: number): Vec3 {
  evaluateInto(c.curve, toRational(c.turn, t), 0, scratch);
  return [scratch[0], scratch[1], c.curve.dim === 3 ? scratch[2] : 0];
}
/** Point and derivative by the trace's own parameter. */
export function traceTangent(c: Trace, t: number): readonly [Vec3, Vec3] {
  evaluateInto(c.curve, toRational(c.turn, t), 1, scratch);
  const s = turnSlope(c.turn, t);
  const d = c.curve.dim;
  return [
    [scratch[0], scratch[1], d === 3 ? scratch[2] : 0],
    [scratch[d] * s, scratch[d + 1] * s, d === 3 ? scratch[5] * s : 0],
  ];
}
export const edgePoint = (e: Edge, t: number): Vec3 => tracePoint(e, t);

/** Surface parameters of a use at edge parameter t. */
export function useUV(f: Face, use: EdgeUse, t: number): readonly [number, number] {
  evaluateInto(use.pcurve.curve, toRational(use.pcurve.turn, t), 0, scratch);
  return [toRational(f.turnU, scratch[0]), toRational(f.turnV, scratch[1])];
}
export function usePoint(f: Face, use: EdgeUse, t: number): Vec3 {
  const [u, v] = useUV(f, use, t);
  evaluateSurface(f.surface, u, v, 0, jet);
  return [jet[0], jet[1], jet[2]];
}
/** Outward unit normal (as the face is oriented). */
export function faceNormal(f: Face, u: number, v: number): Vec3 {
  const n = surfaceNormal(f.surface, u, v);
  return f.reversed ? [-n[0], -n[1], -n[2]] : n;
}

/** Parameters on a trace where its smoothness may drop, inside [a, b], ends included. */
export function traceBreaks(c: Trace, a: number, b: number): number[] {
  const inner = c.turn ? Array.from(c.turn) : knotRuns(c.curve.knots, c.curve.degree).values;
  const eps = 1e-9 * (b - a);
  return [a, ...inner.filter((t) => t > a + eps && t < b - eps), b];
}

export interface UseRef {
  readonly face: number;
  readonly loop: number;
  readonly index: number;
  readonly use: EdgeUse;
}
/** All uses of every edge. */
export function edgeUses(b: Body): UseRef[][] {
  const out: UseRef[][] = b.edges.map(() => []);
  b.faces.forEach((f, face) => f.loops.forEach((l, loop) => l.forEach((use, index) => out[use.edge].push({ face, loop, index, use }))));
  return out;
}
export interface Topology {
  readonly uses: UseRef[][];
  /** Edges with two uses or more (degenerate ones left out). */
  readonly seams: number[];
  readonly rims: number[];
  readonly crowded: number[];
}
const topologyCache = new WeakMap<Body, Topology>();
export function topologyOf(b: Body): Topology {
  let t = topologyCache.get(b);
  if (!t) {
    const uses = edgeUses(b);
    const real = b.edges.map((_, i) => i).filter((i) => !b.edges[i].degenerate && uses[i].length > 0);
    t = {
      uses,
      seams: real.filter((i) => uses[i].length === 2),
      rims: real.filter((i) => uses[i].length === 1),
      crowded: real.filter((i) => uses[i].length > 2),
    };
    topologyCache.set(b, t);
  }
  return t;
}
/** No rim and no edge with more than two faces. */
export function isWatertight(b: Body): boolean {
  const t = topologyOf(b);
  return b.faces.length > 0 && t.rims.length === 0 && t.crowded.length === 0;
}

/** Rims chained end to end: lists of edge indices. */
export function rimChains(b: Body): number[][] {
  const { rims } = topologyOf(b);
  const at = new Map<number, number[]>();
  for (const e of rims) for (const v of [b.edges[e].start, b.edges[e].end]) at.set(v, [...(at.get(v) ?? []), e]);
  const done = new Set<number>();
  const chains: number[][] = [];
  // start at free or branching vertices first, so that open chains come out whole
  const order = [...rims].sort(
    (x, y) => (at.get(b.edges[x].start)?.length === 2 ? 1 : 0) - (at.get(b.edges[y].start)?.length === 2 ? 1 : 0),
  );
  for (const first of order) {
    if (done.has(first)) continue;
    const chain = [first];
    done.add(first);
    for (const forward of [true, false]) {
      let v = forward ? b.edges[first].end : b.edges[first].start;
      for (;;) {
        const around = at.get(v) ?? [];
        if (around.length > 2) break;
        const next = around.find((e) => !done.has(e));
        if (next === undefined) break;
        done.add(next);
        if (forward) chain.push(next);
        else chain.unshift(next);
        v = b.edges[next].start === v ? b.edges[next].end : b.edges[next].start;
      }
    }
    chains.push(chain);
  }
  return chains;
}

const boxCache = new WeakMap<Body, Box>();
/** Box over the edges, exact, and sampled surface points inside the used parameter range. */
export function bodyBox(b: Body): Box {
  let box = boxCache.get(b);
  if (box) return box;
  const pts: number[] = [];
  for (const e of b.edges) {
    const { min, max } = traceExtent(e, e.range);
    pts.push(...min, ...max);
  }
  box = boxOf(pts);
  for (const f of b.faces) {
    const r = usedRange(f, b);
    const grid: number[] = [];
    for (let i = 1; i < 8; i++)
      for (let j = 1; j < 8; j++) {
        evaluateSurface(f.surface, r[0] + ((r[1] - r[0]) * i) / 8, r[2] + ((r[3] - r[2]) * j) / 8, 0, jet);
        grid.push(jet[0], jet[1], jet[2]);
      }
    // only faces whose whole rectangle is in use may widen the box beyond their edges
    if (f.loops.length === 1 && rectangular(f, b, r)) box = boxUnion(box, boxOf(grid));
  }
  boxCache.set(b, box);
  return box;
}
function rectangular(f: Face, b: Body, r: readonly number[]): boolean {
  const eps = 1e-6 * (r[1] - r[0] + r[3] - r[2]);
  return f.loops[0].every((use) => {
    const e = b.edges[use.edge];
    return [0.1, 0.5, 0.9].every((k) => {
      const [u, v] = useUV(f, use, e.range[0] + (e.range[1] - e.range[0]) * k);
      return Math.abs(u - r[0]) < eps || Math.abs(u - r[1]) < eps || Math.abs(v - r[2]) < eps || Math.abs(v - r[3]) < eps;
    });
  });
}
/** Surface parameter range used by the loops: [u0, u1, v0, v1]. */
export function usedRange(f: Face, b: Body): [number, number, number, number] {
  const r: [number, number, number, number] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const l of f.loops)
    for (const use of l) {
      const { min, max } = traceExtent(use.pcurve, b.edges[use.edge].range);
      r[0] = Math.min(r[0], min[0]);
      r[1] = Math.max(r[1], max[0]);
      r[2] = Math.min(r[2], min[1]);
      r[3] = Math.max(r[3], max[1]);
    }
  // angles grow with the parameters of the spline
  return [toRational(f.turnU, r[0]), toRational(f.turnU, r[1]), toRational(f.turnV, r[2]), toRational(f.turnV, r[3])];
}
/** Least and greatest coordinates of a trace over a range of its parameter, to rounding error. */
export const traceExtent = (c: Trace, [a, b]: readonly [number, number]): Extent =>
  curveExtent(c.curve, toRational(c.turn, a), toRational(c.turn, b));

/** Rigid motion, mirror or uniform scaling of a frame-based record. Returns undefined when the map cannot keep it. */
export function transformRecord(r: AnalyticRecord, map: Affine, isCurve: boolean): AnalyticRecord | undefined {
  const s = Math.cbrt(Math.abs(determinant(map)));
  const even: Affine = { m: map.m.map((row) => row.map((x) => x / s)) as unknown as Affine['m'], t: map.t };
  if (!isRigid(even)) return undefined;
  const d = r.data;
  const basis = r.basis && transformTrace(r.basis, map);
  const point = (o: number) => applyPoint(map, [d[o], d[o + 1], d[o + 2]]);
  const dir = (o: number) => applyVector(even, [d[o], d[o + 1], d[o + 2]]);
  if (isCurve) {
    if (r.type === 1) return { type: 1, data: [...point(0), ...dir(3)] };
    const x = dir(6);
    const y = dir(9);
    return { type: r.type, data: [...point(0), ...unit(cross(x, y)), ...x, ...y, ...d.slice(12).map((k) => k * s)] };
  }
  if (r.type === 6) return { type: 6, data: [...dir(0)], basis };
  if (r.type === 7) {
    const axis = dir(3);
    return { type: 7, data: [...point(0), ...(determinant(map) < 0 ? axis.map((k) => -k) : axis)], basis };
  }
  const scaled = d.slice(12).map((k, i) => (r.type === 3 && i === 1 ? k : k * s));
  return { type: r.type, data: [...point(0), ...dir(3), ...dir(6), ...dir(9), ...scaled] };
}
export function transformTrace(c: Trace, map: Affine): Trace {
  return { ...c, curve: transformCurve(c.curve, map), record: c.record && transformRecord(c.record, map, true) };
}

/** Moves, turns, mirrors or scales a body. Mirror images keep their outside outside. Charts stay as they are. */
export function transformBody(b: Body, map: Affine): Body {
  const mirrored = determinant(map) < 0;
  const s = Math.cbrt(Math.abs(determinant(map)));
  const edges = b.edges.map((e): Edge => {
    const moved = transformTrace(e, map);
    // a line whose length changes would change its parameter: it goes back as a spline instead
    return {
      ...e,
      ...moved,
      record: Math.abs(s - 1) > 1e-12 && e.record?.type === 1 ? undefined : moved.record,
      tolerance: e.tolerance * s,
    };
  });
  const faces = b.faces.map((f): Face => {
    const linear = f.record && (f.record.type <= 3 || f.record.type === 6);
    const record = f.record && !(Math.abs(s - 1) > 1e-12 && linear) ? transformRecord(f.record, map, false) : undefined;
    return {
      ...f,
      surface: transformSurface(f.surface, map),
      record,
      reversed: mirrored ? !f.reversed : f.reversed,
      tolerance: f.tolerance * s,
    };
  });
  return { ...b, vertices: b.vertices.map((v) => ({ point: applyPoint(map, v.point), tolerance: v.tolerance * s })), edges, faces };
}

/** A body of the chosen faces only, with the edges and vertices they use; solids are dropped. */
export function subBody(b: Body, faces: readonly number[]): Body {
  const edgeMap = new Map<number, number>();
  const vertexMap = new Map<number, number>();
  const vertices: Vertex[] = [];
  const edges: Edge[] = [];
  const vertex = (i: number) => {
    let k = vertexMap.get(i);
    if (k === undefined) {
      k = vertices.push(b.vertices[i]) - 1;
      vertexMap.set(i, k);
    }
    return k;
  };
  const edge = (i: number) => {
    let k = edgeMap.get(i);
    if (k === undefined) {
      const e = b.edges[i];
      k = edges.push({ ...e, start: vertex(e.start), end: vertex(e.end) }) - 1;
      edgeMap.set(i, k);
    }
    return k;
  };
  const out = faces.map((i): Face => ({ ...b.faces[i], loops: b.faces[i].loops.map((l) => l.map((u) => ({ ...u, edge: edge(u.edge) }))) }));
  return withShells({ vertices, edges, faces: out, shells: [], solids: [] });
}

/** Groups of faces that hang together over shared edges, those of `apart` left out. */
export function connectedFaces(b: Body, apart?: ReadonlySet<number>): number[][] {
  const { uses } = topologyOf(b);
  const group = new Int32Array(b.faces.length).fill(-1);
  const out: number[][] = [];
  for (let f = 0; f < b.faces.length; f++) {
    if (group[f] >= 0) continue;
    const list = [f];
    group[f] = out.length;
    for (let k = 0; k < list.length; k++)
      for (const l of b.faces[list[k]].loops)
        for (const u of l) {
          if (apart?.has(u.edge)) continue;
          for (const other of uses[u.edge])
            if (group[other.face] < 0) {
              group[other.face] = out.length;
              list.push(other.face);
            }
        }
    out.push(list.sort((x, y) => x - y));
  }
  return out;
}

/** Fills in shells from connectivity. */
export function withShells(b: Body): Body {
  const { uses } = topologyOf(b);
  const shells = connectedFaces(b).map((faces): Shell => {
    const closed = faces.every((f) =>
      b.faces[f].loops.every((l) => l.every((u) => b.edges[u.edge].degenerate || uses[u.edge].length === 2)),
    );
    return { faces, closed };
  });
  return { ...b, shells, solids: [] };
}

/** One body out of several; nothing is merged. */
export function combineBodies(list: readonly Body[]): Body {
  const vertices: Vertex[] = [];
  const edges: Edge[] = [];
  const faces: Face[] = [];
  const shells: Shell[] = [];
  const solids: number[][] = [];
  for (const b of list) {
    const [v, e, f, s] = [vertices.length, edges.length, faces.length, shells.length];
    vertices.push(...b.vertices);
    edges.push(...b.edges.map((x) => ({ ...x, start: x.start + v, end: x.end + v })));
    faces.push(...b.faces.map((x) => ({ ...x, loops: x.loops.map((l) => l.map((u) => ({ ...u, edge: u.edge + e }))) })));
    shells.push(...b.shells.map((x) => ({ ...x, faces: x.faces.map((i) => i + f) })));
    solids.push(...b.solids.map((x) => x.map((i) => i + s)));
  }
  return { vertices, edges, faces, shells, solids };
}

/** Turns every face over. */
export function flipBody(b: Body): Body {
  return { ...b, faces: b.faces.map((f) => ({ ...f, reversed: !f.reversed })) };
}
export const renameFaces = (b: Body, name: (old: string, i: number) => string): Body => ({
  ...b,
  faces: b.faces.map((f, i) => ({ ...f, name: name(f.name, i) })),
});
