import { type Affine, applyPoint, compose, determinant, IDENTITY, type Vec3 } from '../../math/index.ts';
import { curveInFrame } from '../../nurbs/index.ts';
import { type AnalyticRecord, type Body, type Edge, type EdgeUse, edgePoint, type Face, type Shell, type Trace, tracePoint, usePoint, type Vertex } from '../body.ts';
import { curveFromRaw, frameOf, moveRaw, moveRawCurve, type PeriodicSpline, type RawCurve, type RawSurface, surfaceFromRaw } from './geometry.ts';

interface Ref {
  readonly shape: number;
  readonly reversed: boolean;
  readonly location: number;
}
interface PcurveRep {
  readonly forward: number;
  readonly back: number;
  readonly surface: number;
  readonly location: number;
  readonly range: readonly [number, number];
}
interface RawShape {
  readonly kind: string;
  readonly children: Ref[];
  readonly tolerance: number;
  readonly point?: Vec3;
  readonly curve?: { curve: number; location: number; range: readonly [number, number] };
  readonly pcurves?: PcurveRep[];
  readonly degenerate?: boolean;
  readonly surface?: number;
  readonly location?: number;
}

export interface ReadResult {
  readonly body: Body;
  /** Position of each face / edge among the distinct ones in first-visit order: the index that the kernel side uses. */
  readonly faceOrder: Int32Array;
  readonly edgeOrder: Int32Array;
  /** Edges that belong to no face (sections, wires). */
  readonly wires: readonly (Trace & { readonly range: readonly [number, number] })[];
}

/** Reads the kernel's text format (topology versions 1-3). Throws with the place when the text is broken. */
export function readText(text: string, offsetTolerance = 1e-6): ReadResult {
  const token = text.split(/\s+/);
  let at = 0;
  const next = () => {
    if (at >= token.length) throw new Error('shape text ends too early');
    return token[at++];
  };
  const real = () => {
    const x = Number(next());
    if (Number.isNaN(x)) throw new Error(`shape text: "${token[at - 1]}" is not a number (word ${at})`);
    return x;
  };
  const reals = (n: number) => Array.from({ length: n }, real);
  const seek = (word: string) => {
    while (at < token.length && token[at] !== word) at++;
    if (at >= token.length) throw new Error(`shape text has no section ${word}`);
    at++;
    return real();
  };
  const version = Number(/Topology V(\d)/.exec(text)?.[1] ?? 1);

  const locationCount = seek('Locations');
  const locations: Affine[] = [IDENTITY];
  for (let i = 0; i < locationCount; i++) {
    if (real() === 1) {
      const m = reals(12);
      locations.push({
        m: [
          [m[0], m[1], m[2]],
          [m[4], m[5], m[6]],
          [m[8], m[9], m[10]],
        ],
        t: [m[3], m[7], m[11]],
      });
    } else {
      let map = IDENTITY;
      for (;;) {
        const k = real();
        if (k === 0) break;
        const power = real();
        const base = power < 0 ? inverse(locations[k]) : locations[k];
        for (let n = 0; n < Math.abs(power); n++) map = compose(base, map);
      }
      locations.push(map);
    }
  }

  const spline = (dim: 2 | 3, rational: boolean, periodic: boolean, degree: number, poles: number, knots: number): PeriodicSpline => {
    const P: number[][] = [];
    const W: number[] = [];
    for (let i = 0; i < poles; i++) {
      P.push(reals(dim));
      W.push(rational ? real() : 1);
    }
    const K: number[] = [];
    const M: number[] = [];
    for (let i = 0; i < knots; i++) {
      K.push(real());
      M.push(real());
    }
    return { dim, degree, rational, periodic, poles: P, weights: W, knots: K, multiplicities: M };
  };
  const bezier = (dim: 2 | 3): RawCurve => {
    const rational = real() === 1;
    const degree = real();
    const s = spline(dim, rational, false, degree, degree + 1, 0);
    return { kind: 'spline', spline: { ...s, knots: [0, 1], multiplicities: [degree + 1, degree + 1] } };
  };
  const readCurve = (dim: 2 | 3): RawCurve => {
    const type = real();
    const frame = dim === 3 ? 12 : 6;
    switch (type) {
      case 1:
        return { kind: 'analytic', type, data: reals(2 * dim) };
      case 2:
      case 4:
        return { kind: 'analytic', type, data: reals(frame + 1) };
      case 3:
      case 5:
        return { kind: 'analytic', type, data: reals(frame + 2) };
      case 6:
        return bezier(dim);
      case 7: {
        const rational = real() === 1;
        const periodic = real() === 1;
        return { kind: 'spline', spline: spline(dim, rational, periodic, real(), real(), real()) };
      }
      case 8: {
        reals(2);
        return { kind: 'trimmed', basis: readCurve(dim) };
      }
      case 9: {
        const distance = real();
        const direction = dim === 3 ? (reals(3) as unknown as Vec3) : undefined;
        return { kind: 'offset', distance, direction, basis: readCurve(dim) };
      }
      default:
        throw new Error(`shape text: curve type ${type} is not known`);
    }
  };
  const readSurface = (): RawSurface => {
    const type = real();
    switch (type) {
      case 1:
        return { kind: 'analytic', type, data: reals(12) };
      case 2:
      case 4:
        return { kind: 'analytic', type, data: reals(13) };
      case 3:
      case 5:
        return { kind: 'analytic', type, data: reals(14) };
      case 6: {
        const data = reals(3);
        return { kind: 'analytic', type, data, basis: readCurve(3) };
      }
      case 7: {
        const data = reals(6);
        return { kind: 'analytic', type, data, basis: readCurve(3) };
      }
      case 8:
      case 9: {
        const ru = real() === 1;
        const rv = real() === 1;
        const [pu, pv] = type === 9 ? [real() === 1, real() === 1] : [false, false];
        const du = real();
        const dv = real();
        const [nu, nv, ku, kv] = type === 9 ? reals(4) : [du + 1, dv + 1, 0, 0];
        const rational = ru || rv;
        const poles = new Float64Array(nu * nv * 4);
        for (let i = 0; i < nu * nv; i++) {
          poles.set(reals(3), i * 4);
          poles[i * 4 + 3] = rational ? real() : 1;
        }
        const pairs = (n: number, degree: number) => {
          if (type === 8) return { knots: [0, 1], multiplicities: [degree + 1, degree + 1] };
          const knots: number[] = [];
          const multiplicities: number[] = [];
          for (let i = 0; i < n; i++) {
            knots.push(real());
            multiplicities.push(real());
          }
          return { knots, multiplicities };
        };
        const u = { degree: du, periodic: pu, ...pairs(ku, du) };
        const v = { degree: dv, periodic: pv, ...pairs(kv, dv) };
        return { kind: 'spline', u, v, rational, nu, nv, poles };
      }
      case 10: {
        reals(4);
        return { kind: 'trimmed', basis: readSurface() };
      }
      case 11:
        return { kind: 'offset', distance: real(), basis: readSurface() };
      default:
        throw new Error(`shape text: surface type ${type} is not known`);
    }
  };

  const curves2 = Array.from({ length: seek('Curve2ds') }, () => readCurve(2));
  const curves = Array.from({ length: seek('Curves') }, () => readCurve(3));
  const surfaces = Array.from({ length: seek('Surfaces') }, readSurface);
  const shapeCount = seek('TShapes');
  const shapes: RawShape[] = [];
  const readRefs = (): Ref[] => {
    const out: Ref[] = [];
    for (;;) {
      const w = next();
      if (w === '*') return out;
      const ref = { shape: shapeCount - Number(w.slice(1)), reversed: w[0] === '-', location: real() };
      // internal and external uses (i, e) bound nothing: a cut that ends inside a face leaves such an edge
      if (w[0] === '+' || w[0] === '-') out.push(ref);
    }
  };
  for (let i = 0; i < shapeCount; i++) {
    const kind = next();
    const start: Omit<RawShape, 'children'> = kind === 'Ve' ? readVertex() : kind === 'Ed' ? readEdge() : kind === 'Fa' ? readFace() : { kind, tolerance: 0 };
    next();
    shapes.push({ ...start, children: readRefs() });
  }
  const rootWord = next();
  const root: Ref = { shape: shapeCount - Number(rootWord.slice(1)), reversed: rootWord[0] === '-', location: real() };

  function readVertex() {
    const tolerance = real();
    const point = reals(3) as unknown as Vec3;
    for (;;) {
      real();
      const type = real();
      if (type === 0) break;
      if (type === 1) real();
      else if (type === 2) reals(2);
      else reals(2);
      real();
    }
    return { kind: 'Ve', tolerance, point };
  }
  function readEdge() {
    const tolerance = real();
    reals(2);
    const degenerate = real() === 1;
    let curve: RawShape['curve'];
    const pcurves: PcurveRep[] = [];
    for (;;) {
      const type = real();
      if (type === 0) break;
      switch (type) {
        case 1: {
          const index = real();
          const location = real();
          const range: readonly [number, number] = [real(), real()];
          if (index > 0) curve = { curve: index - 1, location, range };
          break;
        }
        case 2:
        case 3: {
          const forward = real() - 1;
          // the continuity word is glued to the second number
          const back = type === 3 ? Number(/^\d+/.exec(next())?.[0]) - 1 : forward;
          const surface = real() - 1;
          const location = real();
          const range: readonly [number, number] = [real(), real()];
          if (version === 2) reals(type === 3 ? 8 : 4);
          pcurves.push({ forward, back, surface, location, range });
          break;
        }
        case 4:
          next();
          reals(4);
          break;
        case 5:
          reals(2);
          break;
        case 6:
          reals(3);
          break;
        case 7:
          reals(4);
          break;
        default:
          throw new Error(`shape text: edge record ${type} is not known`);
      }
    }
    return { kind: 'Ed', tolerance, curve, pcurves, degenerate };
  }
  function readFace() {
    real();
    const tolerance = real();
    const surface = real() - 1;
    const location = real();
    if (token[at] === '2') reals(2);
    return { kind: 'Fa', tolerance, surface, location };
  }

  return build(shapes, root, locations, curves2, curves, surfaces, offsetTolerance);
}

function inverse(a: Affine): Affine {
  const [r0, r1, r2] = a.m;
  const d = determinant(a);
  const c = (p: Vec3, q: Vec3): Vec3 => [p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]];
  const [a0, a1, a2] = [c(r1, r2), c(r2, r0), c(r0, r1)];
  const m: Affine['m'] = [
    [a0[0] / d, a1[0] / d, a2[0] / d],
    [a0[1] / d, a1[1] / d, a2[1] / d],
    [a0[2] / d, a1[2] / d, a2[2] / d],
  ];
  const t = applyPoint({ m, t: [0, 0, 0] }, a.t);
  return { m, t: [-t[0], -t[1], -t[2]] };
}

const isIdentity = (a: Affine) => a.m.every((r, i) => r.every((x, k) => Math.abs(x - (i === k ? 1 : 0)) < 1e-7)) && a.t.every((x) => Math.abs(x) < 1e-7);
const sameMap = (a: Affine, b: Affine) => a.m.every((r, i) => r.every((x, k) => Math.abs(x - b.m[i][k]) < 1e-7)) && a.t.every((x, k) => Math.abs(x - b.t[k]) < 1e-7);

function build(shapes: RawShape[], root: Ref, locations: Affine[], curves2: RawCurve[], curves: RawCurve[], surfaces: RawSurface[], offsetTolerance: number): ReadResult {
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
  const keyOf = (shape: number, map: Affine) => (isIdentity(map) ? `${shape}` : `${shape}@${[...map.m.flat(), ...map.t].map((x) => x.toFixed(6)).join(',')}`);

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
        { kind: 'spline', spline: { dim: 3, degree: 1, rational: false, periodic: false, poles: [[...p], [...p]], weights: [1, 1], knots: [range[0], range[1]], multiplicities: [2, 2] } },
        range[0],
        range[1],
        3,
      );
    }
    const i = edges.push({ ...trace, range, start, end, tolerance: s.tolerance, degenerate: s.degenerate || !s.curve || undefined, name: '' }) - 1;
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
        const rep = shapes[c.shape].pcurves?.find((p) => p.surface === surfaceIndex && sameMap(compose(edgePlace, locations[p.location]), surfaceMap));
        const r = edges[edge].range;
        const pc = rep && curves2[use.reversed ? rep.back : rep.forward];
        const item = { ...use, pcurve: pc, range: r };
        list.push(item);
        const t = pc ? curveFromRaw(pc, rep.range[0], rep.range[1], 2) : planeFrame ? planeTrace(edges[edge], planeFrame) : undefined;
        if (!t) throw new Error('an edge has no image on its face');
        traces.set(item, t);
        for (let k = 0; k <= 24; k++) {
          const p = tracePoint(t, r[0] + ((r[1] - r[0]) * k) / 24);
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
    const loops = pending.flatMap((l) =>
      withoutSlits(
        inRunningOrder(
          l.map((item): EdgeUse => ({ edge: item.edge, reversed: item.reversed, pcurve: traces.get(item) as Trace })),
          edges,
        ),
        edges,
      ),
    );
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
  const closedShells = shells.map((sh) => ({ ...sh, closed: sh.faces.every((f) => faces[f].loops.every((l) => l.every((u) => edges[u.edge].degenerate || use[u.edge] === 2))) }));
  return { body: measuredTolerances({ ...draft, shells: closedShells }), faceOrder: Int32Array.from(faceOrder), edgeOrder: Int32Array.from(edgeOrder), wires };
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
  return { ...b, edges: b.edges.map((e, i) => ({ ...e, tolerance: edgeTol[i] })), vertices: b.vertices.map((v, i) => ({ ...v, tolerance: vertexTol[i] })) };
}
