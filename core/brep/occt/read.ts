import { type Affine, applyPoint, compose, IDENTITY, type Vec3 } from '../../math/index.ts';
import { curveInFrame } from '../../nurbs/index.ts';
import {
  type AnalyticRecord,
  type Body,
  type Edge,
  type EdgeUse,
  edgePoint,
  type Face,
  type Shell,
  type Trace,
  tracePoint,
  usePoint,
  type Vertex,
} from '../body.ts';
import { curveFromRaw, frameOf, moveRaw, moveRawCurve, type RawCurve, surfaceFromRaw } from './geometry.ts';
import { type RawText, type Ref, takeApart } from './tokens.ts';

export interface ReadResult {
  readonly body: Body;
  /** Position of each face / edge among the distinct ones in first-visit order: the index that the kernel side uses. */
  readonly faceOrder: Int32Array;
  readonly edgeOrder: Int32Array;
  /** Edges that belong to no face (sections, wires). */
  readonly wires: readonly (Trace & { readonly range: readonly [number, number] })[];
}

/** Reads the kernel's text format into a body. Throws with the place when the text is broken. */
export const readText = (text: string, offsetTolerance = 1e-6): ReadResult => build(takeApart(text), offsetTolerance);

const isIdentity = (a: Affine) =>
  a.m.every((r, i) => r.every((x, k) => Math.abs(x - (i === k ? 1 : 0)) < 1e-7)) && a.t.every((x) => Math.abs(x) < 1e-7);
const sameMap = (a: Affine, b: Affine) =>
  a.m.every((r, i) => r.every((x, k) => Math.abs(x - b.m[i][k]) < 1e-7)) && a.t.every((x, k) => Math.abs(x - b.t[k]) < 1e-7);

function build({ shapes, root, locations, curves2, curves, surfaces }: RawText, offsetTolerance: number): ReadResult {
  const vertices: Vertex[] = [];
  const edges: Edge[] = [];
  const faces: Face[] = [];
  const shells: Shell[] = [];
  const solids: number[][] = [];
  const wires: (Trace & { range: readonly [number, number] })[] = [];
  const faceOrder: number[] = [];
  const edgeOrder: number[] = [];
  const faceSeen = new Map<string, number>();
  const edgeSeen = new Map<string, number>();
  let scope = 0;
  let scopes = 0;
  const vertexOf = new Map<string, number>();
  const edgeOf = new Map<string, number>();
  const faceOf = new Map<string, number>();
  const keyOf = (shape: number, map: Affine) =>
    isIdentity(map) ? `${shape}` : `${shape}@${[...map.m.flat(), ...map.t].map((x) => x.toFixed(6)).join(',')}`;

  const addVertex = (ref: Ref, map: Affine) => {
    const place = compose(map, locations[ref.location]);
    const key = `${scope}:${keyOf(ref.shape, place)}`;
    let i = vertexOf.get(key);
    if (i === undefined) {
      const s = shapes[ref.shape];
      i = vertices.push({ point: applyPoint(place, s.point as Vec3), tolerance: s.tolerance }) - 1;
      vertexOf.set(key, i);
    }
    return i;
  };
  const addEdge = (ref: Ref, map: Affine): number => {
    const place = compose(map, locations[ref.location]);
    const global = keyOf(ref.shape, place);
    if (!edgeSeen.has(global)) edgeSeen.set(global, edgeSeen.size);
    const key = `${scope}:${global}`;
    const known = edgeOf.get(key);
    if (known !== undefined) return known;
    const s = shapes[ref.shape];
    const range = s.curve?.range ?? s.pcurves?.[0]?.range ?? [0, 1];
    const ends = s.children.filter((c) => shapes[c.shape].kind === 'Ve');
    const first = ends.find((c) => !c.reversed) ?? ends[0];
    const last = ends.find((c) => c.reversed) ?? first;
    const start = first ? addVertex(first, place) : vertices.push({ point: [0, 0, 0], tolerance: s.tolerance }) - 1;
    const end = last ? addVertex(last, place) : start;
    let trace: Trace;
    if (s.curve) {
      const where = compose(place, locations[s.curve.location]);
      const raw = curves[s.curve.curve];
      trace = curveFromRaw(isIdentity(where) ? raw : moveRawCurve(raw, where), range[0], range[1], 3);
    } else {
      const p = vertices[start].point;
      trace = curveFromRaw(
        {
          kind: 'spline',
          spline: {
            dim: 3,
            degree: 1,
            rational: false,
            periodic: false,
            poles: [[...p], [...p]],
            weights: [1, 1],
            knots: [range[0], range[1]],
            multiplicities: [2, 2],
          },
        },
        range[0],
        range[1],
        3,
      );
    }
    const i =
      edges.push({ ...trace, range, start, end, tolerance: s.tolerance, degenerate: s.degenerate || !s.curve || undefined, name: '' }) - 1;
    edgeOrder.push(edgeSeen.get(global) as number);
    edgeOf.set(key, i);
    return i;
  };

  const addFace = (ref: Ref, map: Affine, reversed: boolean): number => {
    const place = compose(map, locations[ref.location]);
    const global = keyOf(ref.shape, place);
    if (!faceSeen.has(global)) faceSeen.set(global, faceSeen.size);
    const key = `${scope}:${global}`;
    const known = faceOf.get(key);
    if (known !== undefined) return known;
    const s = shapes[ref.shape];
    const surfaceIndex = s.surface as number;
    const surfaceMap = compose(place, locations[s.location ?? 0]);
    const raw0 = surfaces[surfaceIndex];
    const raw = isIdentity(surfaceMap) ? raw0 : moveRaw(raw0, surfaceMap);
    const base = raw.kind === 'trimmed' ? raw.basis : raw;
    // first pass: edges and their raw pcurves, to learn the used range
    const pending: { edge: number; reversed: boolean; pcurve?: RawCurve; range: readonly [number, number] }[][] = [];
    const range: [number, number, number, number] = [Infinity, -Infinity, Infinity, -Infinity];
    const see = (u: number, v: number) => {
      range[0] = Math.min(range[0], u);
      range[1] = Math.max(range[1], u);
      range[2] = Math.min(range[2], v);
      range[3] = Math.max(range[3], v);
    };
    const planeFrame = base.kind === 'analytic' && base.type === 1 ? frameOf(base.data) : undefined;
    const traces = new Map<object, Trace>();
    for (const w of s.children) {
      const wire = shapes[w.shape];
      if (wire.kind !== 'Wi') continue;
      const wirePlace = compose(place, locations[w.location]);
      const list: (typeof pending)[number] = [];
      for (const c of wire.children) {
        const edge = addEdge(c, wirePlace);
        const use = { edge, reversed: c.reversed !== w.reversed };
        const edgePlace = compose(wirePlace, locations[c.location]);
        const rep = shapes[c.shape].pcurves?.find(
          (p) => p.surface === surfaceIndex && sameMap(compose(edgePlace, locations[p.location]), surfaceMap),
        );
        const r = edges[edge].range;
        const pc = rep && curves2[use.reversed ? rep.back : rep.forward];
        const item = { ...use, pcurve: pc, range: r };
        list.push(item);
        const t = pc ? curveFromRaw(pc, rep.range[0], rep.range[1], 2) : planeFrame ? planeTrace(edges[edge], planeFrame) : undefined;
        if (!t) throw new Error('an edge has no image on its face');
        traces.set(item, t);
        // bent edges often enough that what bulges between two places stays within the margin the surface gets
        const steps = t.curve.degree > 1 ? 192 : 1;
        for (let k = 0; k <= steps; k++) {
          const p = tracePoint(t, r[0] + ((r[1] - r[0]) * k) / steps);
          see(p[0], p[1]);
        }
      }
      if (!list.length) continue;
      if (w.reversed) list.reverse();
      pending.push(list);
    }
    if (base.kind === 'spline' && !base.u.periodic) [range[0], range[1]] = [base.u.knots[0], base.u.knots[base.u.knots.length - 1]];
    if (base.kind === 'spline' && !base.v.periodic) [range[2], range[3]] = [base.v.knots[0], base.v.knots[base.v.knots.length - 1]];
    const form = surfaceFromRaw(raw, range, offsetTolerance);
    const loops = pending
      .flatMap((l) =>
        withoutSlits(
          inRunningOrder(
            l.map((item): EdgeUse => ({ edge: item.edge, reversed: item.reversed, pcurve: traces.get(item) as Trace })),
            edges,
          ),
          edges,
        ),
      )
      .map((l) => withoutPoints(l, edges));
    const index = faces.push({ ...form, loops, reversed: reversed !== ref.reversed, name: '', tolerance: s.tolerance }) - 1;
    faceOrder.push(faceSeen.get(global) as number);
    faceOf.set(key, index);
    return index;
  };

  const addShell = (ref: Ref, map: Affine, reversed: boolean): number => {
    const s = shapes[ref.shape];
    const place = compose(map, locations[ref.location]);
    const flip = reversed !== ref.reversed;
    const list = s.children.map((c) => addFace(c, place, flip));
    return shells.push({ faces: [...new Set(list)], closed: false }) - 1;
  };
  const loose: number[] = [];
  const visit = (ref: Ref, map: Affine, reversed: boolean): void => {
    const s = shapes[ref.shape];
    const place = compose(map, locations[ref.location]);
    const flip = reversed !== ref.reversed;
    if (s.kind === 'So') {
      scope = ++scopes;
      solids.push(s.children.filter((c) => shapes[c.shape].kind === 'Sh').map((c) => addShell(c, place, flip)));
      scope = 0;
    } else if (s.kind === 'Sh') addShell(ref, map, reversed);
    else if (s.kind === 'Fa') loose.push(addFace(ref, map, reversed));
    else if (s.kind === 'Ed') {
      const e = edges[addEdge(ref, map)];
      if (!e.degenerate) wires.push(e);
    } else for (const c of s.children) visit(c, place, flip);
  };
  visit(root, IDENTITY, false);
  if (loose.length) shells.push({ faces: loose, closed: false });

  const draft: Body = { vertices, edges, faces, shells, solids };
  const use = new Int32Array(edges.length);
  for (const f of faces) for (const l of f.loops) for (const u of l) use[u.edge]++;
  const closedShells = shells.map((sh) => ({
    ...sh,
    closed: sh.faces.every((f) => faces[f].loops.every((l) => l.every((u) => edges[u.edge].degenerate || use[u.edge] === 2))),
  }));
  return {
    body: measuredTolerances({ ...draft, shells: closedShells }),
    faceOrder: Int32Array.from(faceOrder),
    edgeOrder: Int32Array.from(edgeOrder),
    wires,
  };
}

/** Edges of no length stand for poles; one that is a point on its face too, put in where borders nearly meet, says nothing. */
function withoutPoints(loop: EdgeUse[], edges: readonly Edge[]): EdgeUse[] {
  const isPoint = ({ edge, pcurve }: EdgeUse) => {
    const e = edges[edge];
    if (!e.degenerate || !pcurve) return false;
    const at = [0, 0.5, 1].map((k) => tracePoint(pcurve, e.range[0] + k * (e.range[1] - e.range[0])));
    return at.every((p) => Math.hypot(p[0] - at[0][0], p[1] - at[0][1]) < 1e-4 * (1 + Math.abs(p[0]) + Math.abs(p[1])));
  };
  const kept = loop.filter((u) => !isPoint(u));
  return kept.length ? kept : loop;
}
/** A ring cut open by a slit (one edge there and back at the same place) is two loops: the slit bounds nothing. */
function withoutSlits(loop: EdgeUse[], edges: readonly Edge[]): EdgeUse[][] {
  for (let i = 0; i < loop.length; i++)
    for (let j = i + 1; j < loop.length; j++) {
      const [a, b] = [loop[i], loop[j]];
      if (a.edge !== b.edge || edges[a.edge].degenerate || a.reversed === b.reversed) continue;
      const t = edges[a.edge].range[0] * 0.4 + edges[a.edge].range[1] * 0.6;
      const [p, q] = [tracePoint(a.pcurve, t), tracePoint(b.pcurve, t)];
      if (Math.hypot(p[0] - q[0], p[1] - q[1]) > 1e-9 * (1 + Math.hypot(p[0], p[1]))) continue;
      const inner = loop.slice(i + 1, j);
      const outer = [...loop.slice(j + 1), ...loop.slice(0, i)];
      return [outer, inner].filter((l) => l.length).flatMap((l) => withoutSlits(l, edges));
    }
  return [loop];
}

/** Wires list their edges in any order: puts the uses head to tail in the chart. */
function inRunningOrder(loop: EdgeUse[], edges: readonly Edge[]): EdgeUse[] {
  const ends = loop.map((u) => {
    const [a, b] = edges[u.edge].range;
    const [p, q] = [tracePoint(u.pcurve, a), tracePoint(u.pcurve, b)];
    return u.reversed ? { start: q, end: p } : { start: p, end: q };
  });
  const rest = new Set(loop.map((_, i) => i).slice(1));
  const order = [0];
  while (rest.size) {
    const at = ends[order[order.length - 1]].end;
    let best = -1;
    let least = Infinity;
    for (const i of rest) {
      const d = Math.hypot(ends[i].start[0] - at[0], ends[i].start[1] - at[1]);
      if (d < least - 1e-12) {
        least = d;
        best = i;
      }
    }
    rest.delete(best);
    order.push(best);
  }
  return order.map((i) => loop[i]);
}

/** Image of an edge in a plane: exact, at the edge's own parameter. */
function planeTrace(e: Trace, frame: ReturnType<typeof frameOf>): Trace {
  return { curve: curveInFrame(e.curve, frame), turn: e.turn, record: planeRecord(e.record, frame) };
}
function planeRecord(r: AnalyticRecord | undefined, f: ReturnType<typeof frameOf>): AnalyticRecord | undefined {
  if (!r) return undefined;
  const flat = (o: number, isPoint: boolean): number[] => {
    const p = [0, 1, 2].map((k) => r.data[o + k] - (isPoint ? f.origin[k] : 0));
    return [p[0] * f.x[0] + p[1] * f.x[1] + p[2] * f.x[2], p[0] * f.y[0] + p[1] * f.y[1] + p[2] * f.y[2]];
  };
  if (r.type === 1) return { type: 1, data: [...flat(0, true), ...flat(3, false)] };
  return { type: r.type, data: [...flat(0, true), ...flat(6, false), ...flat(9, false), ...r.data.slice(12)] };
}

/** Tolerances as they really are: max(stated, 1.05 x measured distance of each pcurve from its edge). Files understate them. */
export function measuredTolerances(b: Body): Body {
  const edgeTol = b.edges.map((e) => e.tolerance);
  for (const f of b.faces)
    for (const l of f.loops)
      for (const u of l) {
        const e = b.edges[u.edge];
        for (let i = 0; i <= 44; i++) {
          const t = e.range[0] + ((e.range[1] - e.range[0]) * i) / 44;
          const p = usePoint(f, u, t);
          const q = e.degenerate ? b.vertices[e.start].point : edgePoint(e, t);
          edgeTol[u.edge] = Math.max(edgeTol[u.edge], 1.05 * Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]));
        }
      }
  const vertexTol = b.vertices.map((v) => v.tolerance);
  b.edges.forEach((e, i) => {
    if (!e.degenerate) {
      for (const [v, t] of [
        [e.start, e.range[0]],
        [e.end, e.range[1]],
      ] as const) {
        const p = edgePoint(e, t);
        const q = b.vertices[v].point;
        vertexTol[v] = Math.max(vertexTol[v], 1.05 * Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]));
      }
    }
    for (const v of [e.start, e.end]) vertexTol[v] = Math.max(vertexTol[v], edgeTol[i]);
  });
  return {
    ...b,
    edges: b.edges.map((e, i) => ({ ...e, tolerance: edgeTol[i] })),
    vertices: b.vertices.map((v, i) => ({ ...v, tolerance: vertexTol[i] })),
  };
}
