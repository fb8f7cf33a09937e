import { add, cross, distance, dot, rotateAbout, scale, sub, type Vec3 } from '../math/index.ts';
import { type Cage, makeCage, partsOfCage, pointOf, withPoints } from './cage.ts';
import { vertexLimit } from './limit.ts';
import { bordersOf, endOf, fanOf } from './shape.ts';
import { alongEdge, smoothMesh } from './smooth.ts';

/** A curve that a border is brought to, by share of its length. */
export interface AlignTarget {
  readonly closed: boolean;
  place(share: number): { readonly point: Vec3; readonly tangent: Vec3 };
  /** Share of the place nearest to p. */
  nearest(p: Vec3): number;
  /** What stands behind it at a share, at the foot of p: its normal, and the direction in it that leads away from it over the curve. */
  behind?(share: number, p: Vec3): { readonly normal: Vec3; readonly away: Vec3 };
}
export type AlignMatch = 'length' | 'even' | 'nearest';
export interface AlignOptions {
  /** The smooth surface goes on from what is behind the curve without a kink. */
  readonly tangent: boolean;
  readonly match: AlignMatch;
  /** The other way round. */
  readonly flip: boolean;
  /** Rows of vertices behind the border that follow, less and less. */
  readonly rows: number;
  /** Which open border, the nearest one is 0. */
  readonly border: number;
}
export interface Aligned {
  readonly cage: Cage;
  /** Edges of the border that were brought to it, and of the whole border. */
  readonly edges: number;
  readonly of: number;
  /** Largest way from the smooth border to the curve, mm, and largest angle to what is behind it, degrees (0 where nothing was asked). */
  readonly gap: number;
  readonly kink: number;
  readonly at: { readonly gap: Vec3; readonly kink: Vec3 };
  /** Largest way of a vertex, mm. */
  readonly moved: number;
  /** Share of the curve that is met. */
  readonly covers: number;
  /** Corners of single faces on the way: no vertex behind them turns their tangent plane. */
  readonly corners: readonly Vec3[];
}
export type AlignOutcome =
  | ({ readonly ok: true } & Aligned)
  | { readonly ok: false; readonly code: string; readonly message: string; readonly at: readonly Vec3[] };

/** A run of border vertices in the direction of their half-edges (face on the left), with the share of the curve each goes to. */
interface Run {
  readonly vertices: readonly number[];
  readonly edges: readonly number[];
  readonly closed: boolean;
  readonly of: number;
  readonly shares: readonly number[];
  /** The curve runs the way of the half-edges. */
  readonly along: boolean;
}
const limitPoint = (c: Cage, v: number): Vec3 => vertexLimit(c, v).point;

/**
 * Brings an open border of a cage to a curve, or to a skin's edge with the tangent plane of the skin. The limit of a border is a cubic spline
 * (Nasri 1987; Biermann, Levin and Zorin 2000): its vertices are moved until their limits lie on the curve; that correction is a contraction, the
 * masks of the limit have eigenvalues from a third to one. For the tangent plane the vertices behind the border are turned about it until the
 * limit normals are those of the skin, on the side that leads away from it. Between the vertices both are off by the fourth power of the
 * distance of the vertices: what is told is measured there, at sixteen places on every edge.
 */
export function alignBorder(c: Cage, target: AlignTarget, o: AlignOptions): AlignOutcome {
  const run = runOf(c, target, o);
  if (!('vertices' in run)) return run;
  const { shape: s } = c;
  const inRun = new Set(run.vertices);
  const goals = run.shares.map((x) => target.place(x));
  const t = goals.map((g): Vec3 => (run.along ? g.tangent : [-g.tangent[0], -g.tangent[1], -g.tangent[2]]));
  const size = Math.max(...goals.map((g) => distance(g.point, goals[0].point)), 1e-9);
  let points = c.points.slice();
  const now = () => withPoints(c, points);
  const toCurve = (cage: Cage, next: Float64Array): number => {
    let worst = 0;
    run.vertices.forEach((v, i) => {
      const miss = sub(goals[i].point, limitPoint(cage, v));
      worst = Math.max(worst, Math.hypot(...miss));
      for (let k = 0; k < 3; k++) next[3 * v + k] += 1.5 * miss[k];
    });
    return worst;
  };
  for (let round = 0; round < 120; round++) {
    const next = points.slice();
    const worst = toCurve(now(), next);
    points = next;
    if (worst < 1e-12 * size) break;
  }
  const rows = rowsBehind(c, run.vertices, Math.max(o.rows, o.tangent ? 1 : 0));
  follow(c, points, [run.vertices, ...rows], 0, o.rows);
  if (o.tangent && target.behind) {
    const behind = target.behind.bind(target);
    const inner = run.vertices.map((v) => neighbours(c, v).filter((w) => !inRun.has(w)));
    const wanted = run.vertices.map((_, i) => behind(run.shares[i], goals[i].point));
    const turnRows = (rounds: number) => {
      for (let round = 0; round < rounds; round++) {
        const cage = now();
        const next = points.slice();
        let worst = toCurve(cage, next) / size;
        const sum = new Map<number, { by: Vec3; n: number }>();
        run.vertices.forEach((v, i) => {
          if (!inner[i].length) return;
          const l = vertexLimit(cage, v);
          const angles = l.normals.map((n) => {
            const a = cross(n, t[i]);
            return Math.atan2(dot(cross(a, wanted[i].away), t[i]), dot(a, wanted[i].away));
          });
          // no more at once than what is behind still tells the side
          const turn = Math.max(-0.4, Math.min(0.4, angles.reduce((p, q) => p + q, 0) / angles.length));
          worst = Math.max(worst, Math.abs(turn));
          for (const w of inner[i]) {
            const old = sum.get(w) ?? { by: [0, 0, 0], n: 0 };
            const p = pointOf(points, w);
            sum.set(w, { by: add(old.by, sub(turned(p, l.point, t[i], turn), p)), n: old.n + 1 });
          }
        });
        for (const [w, { by, n }] of sum) for (let k = 0; k < 3; k++) next[3 * w + k] += by[k] / n;
        points = next;
        if (worst < 1e-11) break;
      }
    };
    turnRows(60);
    if (o.rows > 1) {
      // the rows further back follow what the first one did
      follow(c, points, rows, 1, o.rows);
      turnRows(120);
    }
  }
  const cage = now();
  if (points.some((x) => !Number.isFinite(x)))
    return {
      ok: false,
      code: 'apart',
      message: 'The border cannot be brought there: its vertices run apart',
      at: goals.map((g) => g.point),
    };
  let moved = 0;
  for (let v = 0; v < s.vertices; v++) moved = Math.max(moved, distance(pointOf(points, v), pointOf(c.points, v)));
  return {
    ok: true,
    cage,
    edges: run.edges.length,
    of: run.of,
    moved,
    covers: coverage(run),
    corners: cornersOn(cage, run),
    ...measured(cage, run, target, o.tangent),
  };
}

const neighbours = (c: Cage, v: number): number[] => {
  const { shape: s } = c;
  const out = new Set<number>();
  for (const h of fanOf(s, v)) {
    out.add(endOf(s, h));
    out.add(s.corners[s.prev[h]]);
  }
  return [...out];
};
/** p turned about the line through o along the unit vector `axis`, by an angle in radians. */
const turned = (p: Vec3, o: Vec3, axis: Vec3, angle: number): Vec3 => add(o, rotateAbout(sub(p, o), axis, angle));
/** Vertices by the number of edges that lead to them from a run. */
function rowsBehind(c: Cage, run: readonly number[], count: number): number[][] {
  const seen = new Set(run);
  const out: number[][] = [];
  let last = run;
  for (let k = 0; k < count && last.length; k++) {
    const next: number[] = [];
    for (const v of last)
      for (const w of neighbours(c, v))
        if (!seen.has(w)) {
          seen.add(w);
          next.push(w);
        }
    out.push(next);
    last = next;
  }
  return out;
}
/** Rows behind the first go along with what it did, less and less: the first of `count` that are `after` rows from the border by 1 - after/count. */
function follow(c: Cage, points: Float64Array, rows: readonly (readonly number[])[], after: number, count: number): void {
  const way = new Map(rows[0].map((v) => [v, sub(pointOf(points, v), pointOf(c.points, v))]));
  rows.slice(1, count - after + 1).forEach((row, k) => {
    const share = 1 - (after + k) / count;
    const own = row.map((v) => {
      const near = neighbours(c, v).flatMap((w): Vec3[] => {
        const d = way.get(w);
        return d ? [d] : [];
      });
      let sum: Vec3 = [0, 0, 0];
      for (const d of near) sum = add(sum, d);
      return near.length ? scale(sum, 1 / near.length) : sum;
    });
    row.forEach((v, i) => {
      way.set(v, own[i]);
      for (let d = 0; d < 3; d++) points[3 * v + d] = c.points[3 * v + d] + share * own[i][d];
    });
  });
}

/** The border, or the part of it, that goes to the curve, and where each of its vertices goes. */
function runOf(c: Cage, target: AlignTarget, o: AlignOptions): Run | Extract<AlignOutcome, { ok: false }> {
  const { shape: s } = c;
  const no = (code: string, message: string, at: readonly Vec3[] = []) => ({ ok: false as const, code, message, at });
  const probes = Array.from({ length: 65 }, (_, i) => target.place(i / 64).point);
  const rings = bordersOf(s).map((halves) => {
    const limits = halves.map((h) => limitPoint(c, s.corners[h]));
    const far = probes.reduce((sum, p) => sum + Math.min(...limits.map((l) => distance(l, p))), 0) / probes.length;
    return { halves, limits, far };
  });
  if (!rings.length) return no('closed', 'The cage has no open border: take faces away first');
  const ring = rings.sort((a, b) => a.far - b.far)[o.border];
  if (!ring)
    return no(
      'no-border',
      `The cage has ${rings.length} open ${rings.length === 1 ? 'border' : 'borders'}: there is no number ${o.border + 1}`,
    );
  const n = ring.halves.length;
  const at = (i: number) => ((i % n) + n) % n;
  const vertex = (i: number) => s.corners[ring.halves[at(i)]];
  if (target.closed) {
    // the way round that the nearest places of the vertices run
    const near = ring.limits.map((p) => target.nearest(p));
    let ahead = 0;
    for (let i = 0; i < n; i++) {
      const d = near[at(i + 1)] - near[i];
      ahead += d - Math.round(d);
    }
    const along = ahead >= 0 !== o.flip;
    const steps = lengthsOf(ring.limits, true);
    const raw = steps.map((x, i) => near[0] + (along ? 1 : -1) * (o.match === 'even' ? i / n : x));
    let shares = raw;
    if (o.match === 'nearest') {
      shares = near;
      for (let i = 0; i < n; i++) {
        const d = near[at(i + 1)] - near[i];
        const step = (along ? 1 : -1) * (d - Math.round(d));
        if (!(step > 1e-9)) return no('same-place', sameWords, [ring.limits[i], ring.limits[at(i + 1)]]);
      }
    } else {
      // turned so that the vertices go the shortest way on the whole
      const off = raw.map((x, i) => near[i] - x).map((d) => d - Math.round(d));
      const [cos, sin] = [Math.cos, Math.sin].map((f) => off.reduce((sum, d) => sum + f(2 * Math.PI * d), 0));
      const by = Math.atan2(sin, cos) / (2 * Math.PI);
      shares = raw.map((x) => x + by);
    }
    const edges = ring.halves.map((h) => s.edgeOf[h]);
    return {
      vertices: ring.halves.map((h) => s.corners[h]),
      edges,
      closed: true,
      of: n,
      shares: shares.map((x) => x - Math.floor(x)),
      along,
    };
  }
  // an open curve takes the part between the vertices nearest to its ends
  const nearestTo = (p: Vec3) => ring.limits.reduce((best, l, i) => (distance(l, p) < distance(ring.limits[best], p) ? i : best), 0);
  const [a, b] = [nearestTo(target.place(0).point), nearestTo(target.place(1).point)];
  if (a === b)
    return no('one-vertex', 'Both ends of the curve lie nearest to the same vertex of the border: bring the cage nearer to it', [
      ring.limits[a],
    ]);
  const options = [
    { first: a, count: at(b - a), along: true },
    { first: b, count: at(a - b), along: false },
  ].map((x) => {
    const limits = Array.from({ length: x.count + 1 }, (_, i) => ring.limits[at(x.first + i)]);
    const off = limits.map((p) => distance(p, target.place(target.nearest(p)).point));
    return { ...x, limits, far: off.reduce((p, q) => p + q, 0) / off.length };
  });
  const best = options[0].far <= options[1].far ? options[0] : options[1];
  const along = best.along !== o.flip;
  const m = best.count;
  let shares =
    o.match === 'even' ? Array.from({ length: m + 1 }, (_, i) => i / m) : [...lengthsOf(best.limits, false), 1].map((x) => Math.min(1, x));
  if (!along) shares = shares.map((x) => 1 - x);
  if (o.match === 'nearest') {
    shares = best.limits.map((p) => target.nearest(p));
    for (let i = 0; i < m; i++)
      if (!((along ? 1 : -1) * (shares[i + 1] - shares[i]) > 1e-9))
        return no('same-place', sameWords, [best.limits[i], best.limits[i + 1]]);
  }
  return {
    vertices: Array.from({ length: m + 1 }, (_, i) => vertex(best.first + i)),
    edges: Array.from({ length: m }, (_, i) => s.edgeOf[ring.halves[at(best.first + i)]]),
    closed: false,
    of: n,
    shares,
    along,
  };
}
const sameWords =
  'Two vertices of the border that follow each other have the same nearest place on the curve, or the other way round: set "Along" to "As now" or "Evenly"';
/** Share of the length before each place; the whole is 1. Of an open row the last one is left out. */
function lengthsOf(p: readonly Vec3[], closed: boolean): number[] {
  const steps = p.map((q, i) => (i + 1 < p.length || closed ? distance(q, p[(i + 1) % p.length]) : 0));
  const total = steps.reduce((x, y) => x + y, 0);
  let sum = 0;
  return (closed ? steps : steps.slice(0, -1)).map((d, i, all) => {
    const here = total > 0 ? sum / total : i / all.length;
    sum += d;
    return here;
  });
}
function cornersOn(c: Cage, run: Run): Vec3[] {
  const inside = run.closed ? run.vertices : run.vertices.slice(1, -1);
  return inside.filter((v) => fanOf(c.shape, v).length === 1).map((v) => pointOf(c.points, v));
}
const coverage = (run: Run): number => (run.closed ? 1 : Math.abs(run.shares[run.shares.length - 1] - run.shares[0]));

const STEPS = 4;
/** Gap and kink at sixteen places of every edge: only the faces at the border are refined, nothing else has a part in it. */
function measured(c: Cage, run: Run, target: AlignTarget, tangent: boolean): Pick<Aligned, 'gap' | 'kink' | 'at'> {
  const near = borderFaces(c, run.vertices);
  const mesh = smoothMesh(near.cage, STEPS);
  const first = limitPoint(c, run.vertices[0]);
  const out = { gap: 0, kink: 0, at: { gap: first, kink: first } };
  for (const e of run.edges) {
    for (const v of alongEdge(mesh, near.edgeOf(e))) {
      const p = pointOf(mesh.positions, v);
      const share = target.nearest(p);
      const gap = distance(p, target.place(share).point);
      if (gap > out.gap) Object.assign(out, { gap, at: { ...out.at, gap: p } });
      if (!tangent || !target.behind) continue;
      const [own, { normal }] = [pointOf(mesh.normals, v), target.behind(share, p)];
      const kink = (180 / Math.PI) * Math.atan2(Math.hypot(...cross(own, normal)), Math.abs(dot(own, normal)));
      if (kink > out.kink) Object.assign(out, { kink, at: { ...out.at, kink: p } });
    }
  }
  return out;
}
/** A cage of the faces at some border vertices alone; the whole where they do not hang together as one. */
function borderFaces(c: Cage, vertices: readonly number[]): { cage: Cage; edgeOf: (e: number) => number } {
  const { shape: s } = c;
  const faces = [...new Set(vertices.flatMap((v) => fanOf(s, v).map((h) => s.face[h])))];
  const parts = partsOfCage(c);
  const own = new Map<number, number>();
  const list = faces.map((f) =>
    parts.faces[f].map((v) => {
      const i = own.get(v) ?? own.size;
      own.set(v, i);
      return i;
    }),
  );
  const made = makeCage({
    points: [...own.keys()].map((v) => parts.points[v]),
    faces: list,
    sharp: parts.sharp.flatMap(({ ends: [a, b], sharpness }) => {
      const [x, y] = [own.get(a), own.get(b)];
      return x === undefined || y === undefined ? [] : [{ ends: [x, y] as const, sharpness }];
    }),
    pins: new Map([...parts.pins].flatMap(([v, x]) => (own.has(v) ? [[own.get(v) as number, x] as const] : []))),
  });
  if (!made.ok) return { cage: c, edgeOf: (e) => e };
  const small = made.cage.shape;
  const place = new Map(faces.map((f, i) => [f, i]));
  return {
    cage: made.cage,
    edgeOf: (e) => {
      const h = s.edgeHalf[e];
      const f = s.face[h];
      return small.edgeOf[small.faceStart[place.get(f) as number] + (h - s.faceStart[f])];
    },
  };
}
