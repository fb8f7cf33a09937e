import { type Body, combineBodies, type Edge, type EdgeUse, edgePoint, type Face, insideFace, useUV, type Vertex } from '../brep/index.ts';
import { cross, distance, dot, type Vec3 } from '../math/index.ts';
import { closestOnCurve, evaluateSurface, type NurbsSurface } from '../nurbs/index.ts';
import { arrangeFace, type CutOnFace } from './arrange.ts';
import { boxesMeet, cellsOf, footNear } from './cells.ts';
import { type Branch, type Meeting, meetSurfaces, type Spot, TOUCHING } from './meeting.ts';
import { edgeLiesOn, edgeLine, faceLiesOn, imageParameter, type Piercing, pierceSurface } from './pierce.ts';
import { PointHash } from './point-hash.ts';
import { type FittedPiece, fitStretch, type Track, trackOf } from './track.ts';

export interface ImprintOptions {
  /** How near new edges come to their faces, mm. */
  readonly fit: number;
  /** New edges are called `name.cut(face)`. */
  readonly name: string;
  /** Pairs of faces that are known not to meet. */
  readonly skip?: (first: Face, second: Face) => boolean;
  /** Called between pairs of faces; may throw to stop. */
  readonly pause?: () => void;
}
export interface ImprintProblem {
  readonly what: string;
  readonly at: Vec3;
}
export interface Imprint {
  /** Faces of both bodies, divided; edges between the children of both are shared. */
  readonly body: Body;
  /** For each face of `body` the face it came from; faces of the second body count after those of the first. */
  readonly parent: readonly number[];
  /** Number of faces that the first body had. */
  readonly first: number;
  /** New edges, and old ones along which the other body runs. */
  readonly cut: readonly number[];
  /** For every use of a new edge, by edge and face: on which side of the other face's outside it lies (1 outside, -1 inside). */
  readonly side: ReadonlyMap<number, ReadonlyMap<number, number>>;
  /** Places where the bodies touch, or nearly so, without crossing. */
  readonly touches: readonly { readonly at: Vec3; readonly gap: number }[];
  /** Where cuts end inside faces of the first body, and of the second. */
  readonly loose: readonly Vec3[];
  readonly looseSecond: readonly Vec3[];
  readonly problems: readonly ImprintProblem[];
  /** Largest distance of a new edge from its faces, mm. */
  readonly off: number;
}

/** Vertices nearer than this (mm) become one. */
const JOIN = 2e-6;
const J = new Float64Array(12);
const K = new Float64Array(12);
const vec = (j: ArrayLike<number>, o: number): Vec3 => [j[o], j[o + 1], j[o + 2]];

interface Hit extends Piercing {
  readonly edge: number;
}
/** A place on a branch at which a piece begins or ends. */
interface Stop {
  readonly s: number;
  readonly x: number[];
  readonly hits: Hit[];
  vertex: number;
}
interface Piece extends FittedPiece {
  readonly faces: readonly [number, number];
  readonly start: number;
  readonly end: number;
  readonly mid: Spot;
}

/**
 * Faces of two bodies divided by the curves in which they meet. Nothing is removed. New edges are shared by the children on both sides and
 * by both bodies, so what is kept of them needs no sewing; old edges are the same curves over parts of their ranges.
 */
export function imprintBodies(first: Body, second: Body, o: ImprintOptions): Imprint {
  return new Imprinter(first, second, o).run();
}

class Imprinter {
  private readonly all: Body;
  private readonly firstFaces: number;
  private readonly firstEdges: number;
  private readonly vertices: Vertex[];
  private readonly hash = new PointHash(1e-3);
  private readonly problems: ImprintProblem[] = [];
  private readonly touches: { at: Vec3; gap: number }[] = [];
  private readonly hits = new Map<string, Hit[]>();
  private readonly along = new Set<string>();
  private readonly insides = new Map<number, (u: number, v: number) => boolean>();
  private readonly pieces: Piece[] = [];
  private readonly splits = new Map<number, { t: number; vertex: number }[]>();
  private readonly cutOld = new Set<number>();
  private readonly edgesOf: number[][];

  constructor(
    first: Body,
    second: Body,
    private readonly o: ImprintOptions,
  ) {
    this.all = combineBodies([first, second]);
    this.firstFaces = first.faces.length;
    this.firstEdges = first.edges.length;
    this.vertices = [...this.all.vertices];
    this.vertices.forEach((v, i) => {
      this.hash.add(i, v.point);
    });
    this.edgesOf = this.all.faces.map((f) => [...new Set(f.loops.flat().map((u) => u.edge))].filter((e) => !this.all.edges[e].degenerate));
  }

  run(): Imprint {
    const { all, firstFaces } = this;
    const boxes = all.faces.map((f) => cellsOf(f.surface).root.box);
    const pairs: [number, number][] = [];
    for (let f = 0; f < firstFaces; f++)
      for (let g = firstFaces; g < all.faces.length; g++)
        if (boxesMeet(boxes[f], boxes[g]) && !this.o.skip?.(all.faces[f], all.faces[g])) pairs.push([f, g]);
    for (const [f, g] of pairs) {
      for (const e of this.edgesOf[f]) this.pierce(e, g, boxes[g]);
      for (const e of this.edgesOf[g]) this.pierce(e, f, boxes[f]);
    }
    for (const [f, g] of pairs) {
      this.o.pause?.();
      this.meet(f, g);
    }
    return this.assemble();
  }

  private pierce(edge: number, face: number, box: Float64Array): void {
    const key = `${edge},${face}`;
    if (this.hits.has(key)) return;
    const list: Hit[] = [];
    this.hits.set(key, list);
    const e = this.all.edges[edge];
    if (!boxesMeet(edgeLine(e).box, box)) return;
    const tree = cellsOf(this.all.faces[face].surface);
    if (edgeLiesOn(e, tree)) this.along.add(key);
    else for (const p of pierceSurface(e, tree)) list.push({ ...p, edge });
  }
  private isIn(face: number, u: number, v: number): boolean {
    let test = this.insides.get(face);
    if (!test) this.insides.set(face, (test = insideFace(this.all, face, 64)));
    return test(u, v);
  }
  private vertexAt(p: Vec3, reach: number): number {
    const near = this.hash
      .near(p, 1e-3)
      .map((i) => ({ i, d: distance(this.vertices[i].point, p) }))
      .filter(({ i, d }) => d <= Math.max(reach, this.vertices[i].tolerance))
      .sort((x, y) => x.d - y.d);
    if (near.length) return near[0].i;
    this.vertices.push({ point: p, tolerance: 1e-7 });
    this.hash.add(this.vertices.length - 1, p);
    return this.vertices.length - 1;
  }

  /** Pieces of the curves in which two faces meet. */
  private meet(f: number, g: number): void {
    const { all } = this;
    const [F, G] = [all.faces[f], all.faces[g]];
    const onEdges = [
      ...this.edgesOf[f].filter((e) => this.along.has(`${e},${g}`)),
      ...this.edgesOf[g].filter((e) => this.along.has(`${e},${f}`)),
    ];
    const onOld = (p: Vec3) => onEdges.find((e) => closestOnCurve(all.edges[e].curve, p).distance < 1e-6 + all.edges[e].tolerance);
    if (this.coincide(f, g) || this.coincide(g, f)) {
      this.problems.push({ what: 'the faces lie on each other', at: this.middleOfEdge(this.edgesOf[f][0]) });
      return;
    }
    const mine = this.hitsOf(f, g);
    const met = meetSurfaces(
      F.surface,
      G.surface,
      mine.map((m) => m.x),
      onEdges.length ? (x) => onOld(vec(x, 4)) !== undefined : undefined,
    );
    for (const e of onEdges) {
      // the whole edge runs on the other surface: it counts as cut where the other face really is
      const other = e < this.firstEdges ? g : f;
      const foot = footNear(cellsOf(all.faces[other].surface), this.middleOfEdge(e));
      if (foot && this.isIn(other, foot[0], foot[1])) this.cutOld.add(e);
    }
    const inBoth = (x: Spot) => this.isIn(f, x[0], x[1]) && this.isIn(g, x[2], x[3]);
    for (const x of met.lost)
      if (inBoth(x)) this.problems.push({ what: 'the faces touch or nearly touch: the curve cannot be followed', at: vec(x, 4) });
    for (const branch of met.branches) this.cutAlong(branch, f, g, mine, met, onOld);
    // where branches cross they have a vertex: that is no touch
    const crossed = (p: Vec3) =>
      this.pieces.some((x) => x.faces[0] === f && [x.start, x.end].some((v) => distance(this.vertices[v].point, p) < 10 * JOIN));
    for (const t of met.touches) {
      const at = vec(t.spot, 4);
      if (inBoth(t.spot) && !crossed(at) && !this.touches.some((x) => distance(x.at, at) < 10 * JOIN))
        this.touches.push({ at, gap: t.gap });
    }
  }
  private middleOfEdge(edge: number): Vec3 {
    const e = this.all.edges[edge];
    return edgePoint(e, (e.range[0] + e.range[1]) / 2);
  }
  /** All borders of a face run on another surface, and its inside too. */
  private coincide(own: number, other: number): boolean {
    return (
      this.edgesOf[own].every((e) => this.along.has(`${e},${other}`)) &&
      faceLiesOn(this.all.faces[own], cellsOf(this.all.faces[other].surface), (u, v) => this.isIn(own, u, v))
    );
  }
  /** Places where edges of either face pierce the other, as spots. */
  private hitsOf(f: number, g: number): { hit: Hit; x: number[] }[] {
    const out: { hit: Hit; x: number[] }[] = [];
    for (const [own, other] of [
      [f, g],
      [g, f],
    ])
      for (const use of this.all.faces[own].loops.flat())
        for (const hit of this.hits.get(`${use.edge},${other}`) ?? []) {
          const uv = useUV(this.all.faces[own], use, hit.t);
          out.push({ hit, x: own === f ? [...uv, ...hit.uv, ...hit.point] : [...hit.uv, ...uv, ...hit.point] });
        }
    return out;
  }

  private cutAlong(
    branch: Branch,
    f: number,
    g: number,
    mine: readonly { hit: Hit; x: number[] }[],
    met: Meeting,
    onOld: (p: Vec3) => number | undefined,
  ): void {
    const [F, G] = [this.all.faces[f], this.all.faces[g]];
    const track = trackOf(branch, F.surface, G.surface);
    const stops = this.stopsOf(track, f, g, mine, met);
    const ranges = branch.closed
      ? stops.map((p, i) => [p, stops[(i + 1) % stops.length]] as const)
      : stops.slice(1).map((q, i) => [stops[i], q] as const);
    for (const [p, q] of ranges) {
      const end = branch.closed && q.s <= p.s ? q.s + track.total : q.s;
      if (end - p.s < 1e-7) continue;
      const mid = track.exact((p.s + end) / 2);
      if (!this.isIn(f, mid[0], mid[1]) || !this.isIn(g, mid[2], mid[3])) continue;
      const old = onOld(vec(mid, 4));
      if (old !== undefined) {
        this.cutOld.add(old);
        continue;
      }
      for (const stop of [p, q]) {
        if (stop.vertex < 0)
          stop.vertex = this.vertexAt(vec(stop.x, 4), Math.max(JOIN, ...stop.hits.map((h) => 2 * this.all.edges[h.edge].tolerance)));
        for (const h of stop.hits) this.splitAt(h.edge, h.t, stop.vertex);
      }
      const piece = fitStretch(track, F, G, p.s, end, p.x, q.x, this.o.fit);
      if (piece.off > 8 * this.o.fit)
        this.problems.push({ what: `the cut could be followed only within ${piece.off.toPrecision(2)} mm`, at: vec(mid, 4) });
      this.pieces.push({ ...piece, faces: [f, g], start: p.vertex, end: q.vertex, mid });
    }
  }
  private splitAt(edge: number, t: number, vertex: number): void {
    const list = this.splits.get(edge) ?? [];
    this.splits.set(edge, list);
    const [a, z] = this.all.edges[edge].range;
    if (!list.some((k) => k.vertex === vertex && Math.abs(k.t - t) < 1e-6 * (z - a) + 1e-9)) list.push({ t, vertex });
  }

  /** Where a branch is to be parted: at edges, at its own ends, and where branches cross. Sorted; closed ones have at least one. */
  private stopsOf(track: Track, f: number, g: number, mine: readonly { hit: Hit; x: number[] }[], met: Meeting): Stop[] {
    const { branch } = track;
    const surfaces = [this.all.faces[f].surface, this.all.faces[g].surface];
    const stops: Stop[] = [];
    const add = (s: number, x: ArrayLike<number>, hit?: Hit): Stop => {
      const near = stops.find((q) => {
        const [d, way] = [distance(vec(q.x, 4), vec(x, 4)), Math.abs(q.s - s)];
        if (d < JOIN) return way < Math.max(4 * JOIN, 1e-3 * track.total);
        // an edge that lies a little beside its face pierces the other one a little beside the branch
        const beside = Math.max(0, ...[...q.hits, ...(hit ? [hit] : [])].map((h) => this.all.edges[h.edge].tolerance));
        return way < 4 * JOIN && d < JOIN + 3 * beside;
      });
      if (near) {
        if (hit) near.hits.push(hit);
        return near;
      }
      const stop: Stop = { s, x: Array.from(x).slice(0, 7), hits: hit ? [hit] : [], vertex: -1 };
      stops.push(stop);
      return stop;
    };
    const lastSpot = branch.spots[branch.spots.length - 1];
    const atEnd = (k: number): readonly [number, Spot] => (k ? [track.total, lastSpot] : [0, branch.spots[0]]);
    // ends in poles first: hits of edges say nothing about the free parameter there
    if (!branch.closed)
      for (const k of [0, 1])
        if (branch.ends[k] === 'pole') {
          const [s, x] = atEnd(k);
          this.partPoles(add(s, x), f, g);
        }
    for (const { hit, x: given } of mine) {
      const x = [...given];
      const tip = freeAtPole(x, surfaces[0], 0) ?? freeAtPole(x, surfaces[1], 2);
      const end = tip === undefined || branch.closed ? -1 : [0, 1].find((k) => distance(vec(atEnd(k)[1], 4), vec(x, 4)) < 1e-6);
      if (tip !== undefined && end !== undefined && end >= 0) {
        const [s, spot] = atEnd(end);
        x[tip] = spot[tip];
        this.partPoles(add(s, x, hit), f, g);
        continue;
      }
      const s = track.locate(x, 1e-6 + 3 * this.all.edges[hit.edge].tolerance);
      if (s !== undefined) add(s, x, hit);
    }
    for (const t of met.touches) {
      const s = Math.abs(t.gap) < TOUCHING ? track.locate(t.spot, 1e-6) : undefined;
      if (s !== undefined) add(s, t.spot);
    }
    if (!branch.closed)
      for (const k of [0, 1]) {
        if (branch.ends[k] === 'pole') continue;
        const stop = add(...atEnd(k));
        if (!stop.hits.length && branch.ends[k] === 'border') this.hitBorder(stop, f, g);
      }
    stops.sort((p, q) => p.s - q.s);
    if (!stops.length) add(0, branch.spots[0]);
    return stops;
  }
  /** An end on the border of a surface that no piercing told of: the edge whose image runs through it. */
  private hitBorder(stop: Stop, f: number, g: number): void {
    const point = vec(stop.x, 4);
    for (const [face, o] of [
      [f, 0],
      [g, 2],
    ])
      for (const use of this.all.faces[face].loops.flat()) {
        const e = this.all.edges[use.edge];
        if (e.degenerate) continue;
        const t = imageParameter(this.all.faces[face], use, e, stop.x[o], stop.x[o + 1]);
        if (t !== undefined && distance(edgePoint(e, t), point) < JOIN + 2 * e.tolerance)
          stop.hits.push({ edge: use.edge, t, point, uv: [0, 0] });
      }
  }
  /** A stop in a pole parts the edge of no length that stands for it. */
  private partPoles(stop: Stop, f: number, g: number): void {
    for (const [face, o] of [
      [f, 0],
      [g, 2],
    ])
      for (const use of this.all.faces[face].loops.flat()) {
        const e = this.all.edges[use.edge];
        const point = vec(stop.x, 4);
        if (!e.degenerate || distance(this.vertices[e.start].point, point) > 1e-6) continue;
        const t = imageParameter(this.all.faces[face], use, e, stop.x[o], stop.x[o + 1]);
        if (t === undefined) continue;
        stop.vertex = e.start;
        stop.hits.push({ edge: use.edge, t, point, uv: [0, 0] });
      }
  }

  /** Old edges in parts, new ones, and the faces between them. */
  private assemble(): Imprint {
    const { all, vertices } = this;
    const edges: Edge[] = [];
    const parts = all.edges.map((e, i) => this.partsOf(e, i, edges));
    const firstNew = edges.length;
    const onFace = new Map<number, CutOnFace[]>();
    for (const p of this.pieces) {
      const edge = edges.push({
        curve: p.curve,
        range: [0, p.length],
        start: p.start,
        end: p.end,
        tolerance: Math.max(1e-7, 2.5 * p.off),
        name: `${this.o.name}.cut(${all.faces[p.faces[0]].name})`,
      });
      p.faces.forEach((f, k) => {
        onFace.set(f, [...(onFace.get(f) ?? []), { edge: edge - 1, image: p.images[k as 0 | 1] }]);
      });
    }
    const faces: Face[] = [];
    const parent: number[] = [];
    const used = new Set<number>();
    const loose: Vec3[] = [];
    const looseSecond: Vec3[] = [];
    all.faces.forEach((f, i) => {
      const loops = f.loops.map((l) =>
        l.flatMap((u): EdgeUse[] => {
          const p = parts[u.edge];
          return (u.reversed ? [...p].reverse() : p).map((edge) => ({ ...u, edge }));
        }),
      );
      const cuts = onFace.get(i);
      if (!cuts) {
        faces.push({ ...f, loops });
        parent.push(i);
        return;
      }
      const r = arrangeFace(f, loops, cuts, edges, vertices);
      (i < this.firstFaces ? loose : looseSecond).push(...r.loose);
      if (r.problem) this.problems.push({ what: r.problem, at: vertices[edges[cuts[0].edge].start].point });
      for (const l of r.parts) {
        faces.push({ ...f, loops: l });
        parent.push(i);
        for (const u of l.flat()) if (u.edge >= firstNew) used.add(u.edge);
      }
    });
    const cut = [...used].sort((x, y) => x - y);
    for (const e of this.cutOld) cut.push(...parts[e]);
    return {
      body: { vertices, edges, faces, shells: [], solids: [] },
      parent,
      first: this.firstFaces,
      cut,
      side: this.sides(faces, parent, firstNew),
      touches: this.touches,
      loose,
      looseSecond,
      problems: this.problems,
      off: this.pieces.reduce((m, p) => Math.max(m, p.off), 0),
    };
  }
  private partsOf(e: Edge, i: number, edges: Edge[]): number[] {
    const [a, z] = e.range;
    const given = [...(this.splits.get(i) ?? [])].sort((p, q) => p.t - q.t);
    const inner = e.degenerate
      ? given.filter((k) => k.t > a + 1e-7 * (z - a) && k.t < z - 1e-7 * (z - a))
      : given
          .filter(
            (k) =>
              (k.vertex !== e.start || k.t - a > 0.5 * (z - a)) &&
              (k.vertex !== e.end || z - k.t > 0.5 * (z - a)) &&
              k.t > a + 1e-12 * (z - a) &&
              k.t < z - 1e-12 * (z - a),
          )
          .filter((k, j, list) => !j || k.vertex !== list[j - 1].vertex);
    if (!inner.length) return [edges.push(e) - 1];
    const ts = [a, ...inner.map((k) => k.t), z];
    const ends = [e.start, ...inner.map((k) => k.vertex), e.end];
    return ts.slice(1).map((t, j) => edges.push({ ...e, range: [ts[j], t], start: ends[j], end: ends[j + 1] }) - 1);
  }
  private sides(faces: readonly Face[], parent: readonly number[], firstNew: number): Map<number, Map<number, number>> {
    const { all } = this;
    const out = new Map<number, Map<number, number>>();
    faces.forEach((f, i) => {
      for (const u of f.loops.flat()) {
        const p = this.pieces[u.edge - firstNew];
        const own = p?.faces.indexOf(parent[i]) ?? -1;
        if (own < 0) continue;
        const other = all.faces[p.faces[1 - own]];
        evaluateSurface(all.faces[parent[i]].surface, p.mid[2 * own], p.mid[2 * own + 1], 1, J);
        evaluateSurface(other.surface, p.mid[2 - 2 * own], p.mid[3 - 2 * own], 1, K);
        const n = cross(vec(J, 6), vec(J, 3));
        const m = cross(vec(K, 6), vec(K, 3));
        const left = dot(cross(n, vec(p.mid, 7)), m) * (u.reversed ? -1 : 1) * (other.reversed ? -1 : 1);
        const list = out.get(u.edge) ?? new Map<number, number>();
        out.set(u.edge, list);
        const before = list.get(i);
        list.set(i, before !== undefined && before !== Math.sign(left) ? 0 : Math.sign(left));
      }
    });
    return out;
  }
}

/** Which parameter says nothing when a place lies in a pole of the surface whose parameters stand at `o`. */
function freeAtPole(x: readonly number[], s: NurbsSurface, o: number): number | undefined {
  const { pole, domain } = cellsOf(s);
  for (let side = 0; side < 4; side++) {
    const m = side >> 1;
    if (pole[side] && Math.abs(x[o + m] - domain[side]) < 1e-7 * (domain[2 * m + 1] - domain[2 * m])) return o + 1 - m;
  }
  return undefined;
}
