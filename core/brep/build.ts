import { angleBetween, DEG, distance, type Frame, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  clipCurve,
  clipSurface,
  curveInFrame,
  derivativesAt,
  domain,
  domainU,
  domainV,
  endPoint,
  integralAlong,
  isoU,
  isoV,
  knotRuns,
  line2,
  type NurbsCurve,
  type NurbsSurface,
  planeOf,
  planeSurface,
  pointAt,
  remapCurve,
  reverseCurve,
  startPoint,
  surfacePoint,
  transpose,
} from '../nurbs/index.ts';
import {
  type AnalyticRecord,
  type Body,
  type Edge,
  type EdgeUse,
  type Face,
  type Trace,
  topologyOf,
  traceExtent,
  type Vertex,
  withShells,
} from './body.ts';
import { toRational } from './chart.ts';

const FINE = 1e-7;

/** Collects vertices, edges and faces and hands out a body. Vertices nearer than `tolerance` become one. */
export class BodyBuilder {
  readonly vertices: Vertex[] = [];
  readonly edges: Edge[] = [];
  readonly faces: Face[] = [];
  constructor(readonly tolerance = 1e-6) {}

  vertex(point: Vec3): number {
    for (let i = 0; i < this.vertices.length; i++) if (distance(this.vertices[i].point, point) <= this.tolerance) return i;
    return this.vertices.push({ point, tolerance: FINE }) - 1;
  }
  edge(curve: NurbsCurve, name: string, range = domain(curve)): number {
    const start = this.vertex(pointAt(curve, range[0]));
    const end = this.vertex(pointAt(curve, range[1]));
    const flat = start === end && arcLength(curve, range[0], range[1]) < this.tolerance;
    return this.edges.push({ curve, range, start, end, tolerance: FINE, degenerate: flat || undefined, name }) - 1;
  }
  face(surface: NurbsSurface, loops: EdgeUse[][], name: string, reversed = false, record?: AnalyticRecord): number {
    return this.faces.push({ surface, loops, name, reversed, record, tolerance: FINE }) - 1;
  }

  /**
   * Flat face in `frame` bounded by loops of edges (each use says which way it is run). Outer loop first; loops are turned so that the
   * face lies on their left, seen from the frame's z.
   */
  flatFace(frame: Frame, loops: { edge: number; reversed: boolean }[][], name: string): number {
    let [x0, x1, y0, y1] = [Infinity, -Infinity, Infinity, -Infinity];
    const uses = loops.map((l, k) => {
      const list = l.map((u): EdgeUse => ({ ...u, pcurve: { curve: curveInFrame(this.edges[u.edge].curve, frame) } }));
      const area = loopArea(list, this.edges);
      for (const u of list) {
        const { min, max } = traceExtent(u.pcurve, this.edges[u.edge].range);
        [x0, y0] = [Math.min(x0, min[0]), Math.min(y0, min[1])];
        [x1, y1] = [Math.max(x1, max[0]), Math.max(y1, max[1])];
      }
      const wantPositive = k === 0;
      return area > 0 === wantPositive ? list : list.reverse().map((u) => ({ ...u, reversed: !u.reversed }));
    });
    const pad = 0.01 * Math.max(x1 - x0, y1 - y0);
    return this.face(planeSurface(frame, x0 - pad, x1 + pad, y0 - pad, y1 + pad), uses, name, false, planeRecordOf(frame));
  }

  body(): Body {
    return withShells({ vertices: this.vertices, edges: this.edges, faces: this.faces, shells: [], solids: [] });
  }
}

export const planeRecordOf = (f: Frame): AnalyticRecord => ({ type: 1, data: [...f.origin, ...f.z, ...f.x, ...f.y] });

/** Signed area of a loop in its chart, ends of uses that do not meet joined straight. Green's theorem, span by span. */
export function loopArea(loop: readonly EdgeUse[], edges: readonly Edge[]): number {
  if (!loop.length) return 0;
  const way = loop.map((u) => {
    const [a, b] = edges[u.edge].range.map((t) => toRational(u.pcurve.turn, t));
    return u.reversed ? [b, a] : [a, b];
  });
  const corner = (i: number, k: 0 | 1) => pointAt(loop[i].pcurve.curve, way[i][k]);
  // about a place on the loop: far from the origin nothing is lost
  const o = corner(0, 0);
  let area = 0;
  loop.forEach((u, i) => {
    const [a, b] = way[i];
    const half =
      integralAlong(u.pcurve.curve, (j) => (j[0] - o[0]) * j[3] - (j[1] - o[1]) * j[2], 1e-9, Math.min(a, b), Math.max(a, b)) / 2;
    const [p, q] = [corner(i, 1), corner((i + 1) % loop.length, 0)];
    area += (a <= b ? half : -half) + ((p[0] - o[0]) * (q[1] - o[1]) - (p[1] - o[1]) * (q[0] - o[0])) / 2;
  });
  return area;
}

/** Parameters where the curve has a real kink (tangents differ by more than `degrees`), inside the domain. */
export function kinksOf(c: NurbsCurve, degrees = 0.01): number[] {
  const { values, multiplicities } = knotRuns(c.knots, c.degree);
  const out: number[] = [];
  for (let i = 1; i + 1 < values.length; i++) {
    if (multiplicities[i] < c.degree) continue;
    const before = derivativesAt(clipCurve(c, values[i - 1], values[i]), values[i], 1)[1];
    const after = derivativesAt(c, values[i], 1)[1];
    if (angleBetween(before, after) > degrees * DEG) out.push(values[i]);
  }
  return out;
}
/** Pieces without kinks. */
export function smoothPieces(c: NurbsCurve): NurbsCurve[] {
  const cuts = [domain(c)[0], ...kinksOf(c), domain(c)[1]];
  return cuts.slice(1).map((t, i) => clipCurve(c, cuts[i], t));
}

/** Parameters in u where the surface has a crease running along v. */
function creasesU(s: NurbsSurface): number[] {
  const found = new Set<number>();
  const [v0, v1] = domainV(s);
  for (const k of [0.11, 0.37, 0.5, 0.73, 0.91]) for (const t of kinksOf(isoV(s, v0 + k * (v1 - v0)), 0.05)) found.add(t);
  return [...found].sort((a, b) => a - b);
}

export interface SkinNames {
  /** Face name for the cell (i, j) of n x m. */
  readonly face: (i: number, j: number, n: number, m: number) => string;
  readonly prefix: string;
}

/**
 * Body of one surface: cut into faces along real creases, closed directions share their seam, collapsed sides become poles.
 * Edge names: prefix.u0, .u1, .v0, .v1 for the sides, .seamU/.seamV, .creaseU/V with ordinals.
 */
export function surfaceBody(
  s: NurbsSurface,
  names: SkinNames,
  builder = new BodyBuilder(),
  cuts?: { u?: readonly number[]; v?: readonly number[] },
): { body: Body; sides: Record<'u0' | 'u1' | 'v0' | 'v1', number[]> } {
  const [u0, u1] = domainU(s);
  const [v0, v1] = domainV(s);
  const us = [u0, ...(cuts?.u ?? creasesU(s)), u1];
  const vs = [v0, ...(cuts?.v ?? creasesU(transpose(s))), v1];
  const n = us.length - 1;
  const m = vs.length - 1;
  const near = (a: Vec3, b: Vec3) => distance(a, b) <= builder.tolerance;
  const probe = [0, 0.21, 0.5, 0.77, 1];
  const closedU = probe.every((k) => near(surfacePoint(s, u0, v0 + k * (v1 - v0)), surfacePoint(s, u1, v0 + k * (v1 - v0))));
  const closedV = probe.every((k) => near(surfacePoint(s, u0 + k * (u1 - u0), v0), surfacePoint(s, u0 + k * (u1 - u0), v1)));
  const cells = Array.from({ length: n }, (_, i) =>
    Array.from({ length: m }, (_, j) => clipSurface(s, us[i], us[i + 1], vs[j], vs[j + 1])),
  );
  const sides: Record<'u0' | 'u1' | 'v0' | 'v1', number[]> = { u0: [], u1: [], v0: [], v1: [] };
  // edges along v at us[i], and along u at vs[j]
  const alongV = us.map((u, i) =>
    Array.from({ length: m }, (_, j) => {
      if (closedU && i === n) return -1;
      const name = i === 0 ? (closedU ? 'seamU' : 'u0') : i === n ? 'u1' : `creaseU${i}`;
      return builder.edge(isoU(cells[Math.min(i, n - 1)][j], u), `${names.prefix}.${name}${m > 1 ? `.${j}` : ''}`);
    }),
  );
  if (closedU) alongV[n] = alongV[0];
  const alongU = vs.map((v, j) =>
    Array.from({ length: n }, (_, i) => {
      if (closedV && j === m) return -1;
      const name = j === 0 ? (closedV ? 'seamV' : 'v0') : j === m ? 'v1' : `creaseV${j}`;
      return builder.edge(isoV(cells[i][Math.min(j, m - 1)], v), `${names.prefix}.${name}${n > 1 ? `.${i}` : ''}`);
    }),
  );
  if (closedV) alongU[m] = alongU[0];
  if (!closedU) {
    sides.u0 = alongV[0];
    sides.u1 = alongV[n];
  }
  if (!closedV) {
    sides.v0 = alongU[0];
    sides.v1 = alongU[m];
  }
  const straight = (edge: number, a: readonly [number, number], b: readonly [number, number]): Trace => ({
    curve: line2(a, b, ...builder.edges[edge].range),
  });
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++) {
      const [a, b, c, d] = [us[i], us[i + 1], vs[j], vs[j + 1]];
      const loop: EdgeUse[] = [
        { edge: alongU[j][i], reversed: false, pcurve: straight(alongU[j][i], [a, c], [b, c]) },
        { edge: alongV[i + 1][j], reversed: false, pcurve: straight(alongV[i + 1][j], [b, c], [b, d]) },
        { edge: alongU[j + 1][i], reversed: true, pcurve: straight(alongU[j + 1][i], [a, d], [b, d]) },
        { edge: alongV[i][j], reversed: true, pcurve: straight(alongV[i][j], [a, c], [a, d]) },
      ];
      builder.face(cells[i][j], [loop], names.face(i, j, n, m));
    }
  return { body: builder.body(), sides };
}

/** The plain curve of an edge: exact, its own rational parameter, clipped to the edge. */
export function edgeCurve(e: Edge): NurbsCurve {
  return clipCurve(e.curve, toRational(e.turn, e.range[0]), toRational(e.turn, e.range[1]));
}

export interface CapResult {
  readonly added: number;
  readonly reason?: string;
  readonly deviation?: number;
}
/** Adds a flat face over the closed chain of rim edges to the builder, with the neighbours' orientation continued. */
export function capRim(builder: BodyBuilder, chain: readonly number[], name: string, flatness: number): CapResult {
  const curves = chain.map((e) => builder.edges[e].curve);
  const plane = planeOf(curves);
  if (!plane) return { added: -1, reason: 'the rim is straight, so it bounds no area' };
  if (plane.deviation > flatness) return { added: -1, reason: 'the rim is not flat', deviation: plane.deviation };
  const ordered = orderChain(chain, builder.edges);
  if (!ordered) return { added: -1, reason: 'the rim is not one closed chain' };
  // continue the orientation: the cap must run each edge against the way its neighbour does (both taken outside out)
  const first = ordered[0];
  let neighbourReversed: boolean | undefined;
  for (const f of builder.faces)
    for (const l of f.loops) for (const u of l) if (u.edge === first.edge) neighbourReversed = u.reversed !== f.reversed;
  const added = builder.flatFace(plane.frame, [ordered], name);
  const f = builder.faces[added];
  const mine = f.loops[0].find((u) => u.edge === first.edge) as EdgeUse;
  if (neighbourReversed !== undefined && mine.reversed === neighbourReversed) {
    const frame = plane.frame;
    builder.faces.pop();
    return {
      added: builder.flatFace(
        { ...frame, y: [-frame.y[0], -frame.y[1], -frame.y[2]], z: [-frame.z[0], -frame.z[1], -frame.z[2]] },
        [ordered],
        name,
      ),
      deviation: plane.deviation,
    };
  }
  return { added, deviation: plane.deviation };
}

/** Puts edges of a closed chain in running order; undefined when they do not close. */
export function orderChain(chain: readonly number[], edges: readonly Edge[]): { edge: number; reversed: boolean }[] | undefined {
  const rest = new Set(chain.slice(1));
  const out = [{ edge: chain[0], reversed: false }];
  const first = edges[chain[0]].start;
  let at = edges[chain[0]].end;
  while (rest.size) {
    let found = false;
    for (const e of rest) {
      if (edges[e].start === at || edges[e].end === at) {
        const reversed = edges[e].start !== at;
        out.push({ edge: e, reversed });
        at = reversed ? edges[e].start : edges[e].end;
        rest.delete(e);
        found = true;
        break;
      }
    }
    if (!found) return undefined;
  }
  return at === first ? out : undefined;
}

/** A builder that starts from an existing body. */
export function builderFrom(b: Body, tolerance?: number): BodyBuilder {
  const k = new BodyBuilder(tolerance);
  k.vertices.push(...b.vertices);
  k.edges.push(...b.edges);
  k.faces.push(...b.faces);
  return k;
}

export interface FlatRegion {
  readonly outer: NurbsCurve[];
  readonly holes: NurbsCurve[][];
}

/** Chains curves end to end within `tolerance`. Returns closed loops, and open chains with the gap at their ends. */
export function chainCurves(
  curves: readonly NurbsCurve[],
  tolerance: number,
): { closed: NurbsCurve[][]; open: { chain: NurbsCurve[]; gap: number; at: Vec3 }[] } {
  const rest = [...curves];
  const closed: NurbsCurve[][] = [];
  const open: { chain: NurbsCurve[]; gap: number; at: Vec3 }[] = [];
  while (rest.length) {
    const chain = [rest.shift() as NurbsCurve];
    for (;;) {
      const end = endPoint(chain[chain.length - 1]);
      if (distance(startPoint(chain[0]), end) <= tolerance) break;
      const k = rest.findIndex((c) => distance(startPoint(c), end) <= tolerance || distance(endPoint(c), end) <= tolerance);
      if (k < 0) break;
      const c = rest.splice(k, 1)[0];
      chain.push(distance(startPoint(c), end) <= tolerance ? c : reverseCurve(c));
    }
    const gap = distance(startPoint(chain[0]), endPoint(chain[chain.length - 1]));
    if (gap <= tolerance) closed.push(chain);
    else open.push({ chain, gap, at: endPoint(chain[chain.length - 1]) });
  }
  return { closed, open };
}
/** Sorts closed flat loops into regions with holes (even-odd nesting). */
export function regionsOf(loops: readonly NurbsCurve[][], frame: Frame): FlatRegion[] {
  const polygons = loops.map((l) => {
    const pts: [number, number][] = [];
    for (const c of l) {
      const flat = curveInFrame(c, frame);
      const [a, b] = domain(flat);
      const n = Math.max(16, 6 * flat.control.length);
      for (let i = 0; i < n; i++) {
        const p = pointAt(flat, a + ((b - a) * i) / n);
        pts.push([p[0], p[1]]);
      }
    }
    return pts;
  });
  const inside = (p: readonly [number, number], poly: [number, number][]) => {
    let odd = false;
    for (let i = 0, j = poly.length - 1; i < poly.length; j = i++)
      if (
        poly[i][1] > p[1] !== poly[j][1] > p[1] &&
        p[0] < ((poly[j][0] - poly[i][0]) * (p[1] - poly[i][1])) / (poly[j][1] - poly[i][1]) + poly[i][0]
      )
        odd = !odd;
    return odd;
  };
  const around = polygons.map((p, i) => polygons.map((_q, j) => j).filter((j) => j !== i && inside(p[0], polygons[j])));
  const out: FlatRegion[] = [];
  loops.forEach((l, i) => {
    if (around[i].length % 2) return;
    const holes = loops.filter((_, j) => around[j].length === around[i].length + 1 && around[j].includes(i));
    out.push({ outer: l, holes });
  });
  return out;
}

/** Flat skin from regions. Names: prefix:region / prefix.loop edges. */
export function flatBody(regions: readonly FlatRegion[], frame: Frame, prefix: string): Body {
  const k = new BodyBuilder();
  regions.forEach((r, i) => {
    const loops = [r.outer, ...r.holes].map((l, h) =>
      l
        .flatMap(smoothPieces)
        .map((c, j) => ({ edge: k.edge(c, `${prefix}.${h === 0 ? 'outer' : `hole${h}`}${i ? `.${i}` : ''}.${j}`), reversed: false })),
    );
    k.flatFace(frame, loops, regions.length > 1 ? `${prefix}:region${i + 1}` : `${prefix}:region`);
  });
  return k.body();
}

/** True when neighbouring faces agree on what is outside along every seam. */
export function isOriented(b: Body): boolean {
  const { uses, seams } = topologyOf(b);
  return seams.every(
    (e) =>
      (uses[e][0].use.reversed !== b.faces[uses[e][0].face].reversed) !== (uses[e][1].use.reversed !== b.faces[uses[e][1].face].reversed),
  );
}

/** The body of a builder in which edges between the same vertices and with the same middle are one; `edge` tells what became of each. */
export function joinEqualEdges(k: BodyBuilder): { body: Body; edge: readonly number[] } {
  const first = new Map<string, number[]>();
  const at = (i: number, share: number) =>
    pointAt(k.edges[i].curve, k.edges[i].range[0] + share * (k.edges[i].range[1] - k.edges[i].range[0]));
  const same = k.edges.map((e, i) => {
    if (e.degenerate) return i;
    const key = `${Math.min(e.start, e.end)},${Math.max(e.start, e.end)}`;
    const list = first.get(key) ?? [];
    // not the middle alone: a closed edge that runs the other way has the same; images hang on the parameter, so that must agree too
    const near = (j: number, share: number) => distance(at(j, share), at(i, share)) <= 4 * k.tolerance;
    const twin = list.find((j) => [0.5, 0.25, 0.1, 0.37, 0.83].every((share) => near(j, share)));
    if (twin === undefined) {
      first.set(key, [...list, i]);
      return i;
    }
    // a closed edge, or one that runs the other way, would need its images turned round
    if (k.edges[twin].start !== e.start || k.edges[twin].end !== e.end) return i;
    return twin;
  });
  const kept = [...new Set(same)].sort((a, b) => a - b);
  const place = new Map(kept.map((i, n) => [i, n]));
  const edge = same.map((i) => place.get(i) ?? -1);
  // the image of an edge that gave way runs over the range of the one that stays
  const image = (u: EdgeUse): EdgeUse['pcurve'] =>
    same[u.edge] === u.edge ? u.pcurve : { ...u.pcurve, curve: remapCurve(u.pcurve.curve, ...k.edges[same[u.edge]].range) };
  const faces = k.faces.map((f) => ({
    ...f,
    loops: f.loops.map((l) => l.map((u) => ({ ...u, edge: edge[u.edge], pcurve: image(u) }))),
  }));
  // an edge lies beside the faces whose own edge gave way to it
  const off = new Map<number, number>();
  same.forEach((j, i) => {
    if (j === i || k.edges[i].degenerate) return;
    let most = 0;
    for (let n = 0; n <= 16; n++) most = Math.max(most, distance(at(i, n / 16), at(j, n / 16)));
    off.set(j, Math.max(off.get(j) ?? 0, 1.2 * most));
  });
  const edges = kept.map((i) => ({ ...k.edges[i], tolerance: Math.max(k.edges[i].tolerance, off.get(i) ?? 0) }));
  return { body: withShells({ vertices: k.vertices, edges, faces, shells: [], solids: [] }), edge };
}
