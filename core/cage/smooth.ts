/**
 * The smooth surface as a mesh: the cage refined some times, its vertices and normals in the limit. What hangs together is kept by the shape, and
 * when only places change, only what is near them is worked out anew.
 */
import { pointOf } from './cage.ts';
import { spokeWeight, vertexLimit } from './limit.ts';
import { type CageShape, fanOf } from './shape.ts';
import { type Level, type Refinable, refine, refinedPoints, refinedPointsAt } from './subdivide.ts';

export interface SmoothMesh {
  /** Steps of refinement, at least one. */
  readonly level: number;
  /** Nodes: the vertices of the refined cage, then one more for every further sector of those on creases. xyz in mm, unit normals. */
  readonly positions: Float64Array;
  readonly normals: Float64Array;
  /** Triangles, two a quad; those of face f of the cage stand together. */
  readonly indices: Uint32Array;
  /** First index and count for every face of the cage. */
  readonly faceRanges: Uint32Array;
  /** The refined cage. */
  readonly shape: CageShape;
  /** Nodes that were worked out anew for this one. */
  readonly touched: number;
}

/** What follows from shape and sharpness alone. */
interface Frame {
  readonly levels: readonly Omit<Level, 'points'>[];
  readonly indices: Uint32Array;
  readonly faceRanges: Uint32Array;
  readonly nodes: number;
  /** Nodes of a vertex that has more than one normal. */
  readonly split: ReadonlyMap<number, readonly number[]>;
  /** Vertices of the finest level without anything sharp or open at them. */
  readonly plain: Uint8Array;
}
interface Kept {
  readonly sharpness: Float64Array;
  readonly pins: Float64Array;
  readonly frame: Frame;
  points: Float64Array[];
  mesh: SmoothMesh;
}
const kept = new WeakMap<CageShape, Map<number, Kept>>();

/** Is it near enough to what changed to be worth following change by change? */
const FEW = 0.25;

/** The smooth surface after `level` steps (1 or more). */
export function smoothMesh(c: Refinable, level: number): SmoothMesh {
  const steps = Math.max(1, Math.round(level));
  let byLevel = kept.get(c.shape);
  if (!byLevel) {
    byLevel = new Map();
    kept.set(c.shape, byLevel);
  }
  const known = byLevel.get(steps);
  if (known && same(known.sharpness, c.sharpness) && same(known.pins, c.pins)) return follow(known, c);
  const levels: Level[] = [{ shape: c.shape, points: c.points, sharpness: c.sharpness, pins: c.pins }];
  for (let k = 0; k < steps; k++) levels.push(refine(levels[k]));
  const frame = frameOf(levels);
  const mesh = whole(frame, levels[steps], steps);
  byLevel.set(steps, { sharpness: c.sharpness, pins: c.pins, frame, points: levels.map((l) => l.points), mesh });
  return mesh;
}
const same = (a: Float64Array, b: Float64Array): boolean => a === b || (a.length === b.length && a.every((x, i) => x === b[i]));

function frameOf(levels: readonly Level[]): Frame {
  const last = levels[levels.length - 1];
  const { shape: s } = last;
  const plain = new Uint8Array(s.vertices).fill(1);
  for (let v = 0; v < s.vertices; v++) if (last.pins[v] > 0) plain[v] = 0;
  for (let e = 0; e < s.edges; e++) {
    const h = s.edgeHalf[e];
    if (last.sharpness[e] > 0 || s.twin[h] < 0) plain[s.corners[h]] = plain[s.corners[s.next[h]]] = 0;
  }
  const nodeOf = s.corners.slice();
  const split = new Map<number, number[]>();
  let nodes = s.vertices;
  for (let v = 0; v < s.vertices; v++) {
    if (plain[v] || s.out[v] < 0) continue;
    const { normals, sectorOf } = vertexLimit(last, v);
    if (normals.length < 2) continue;
    const own = normals.map((_, i) => (i ? nodes++ : v));
    split.set(v, own);
    fanOf(s, v).forEach((h, i) => {
      nodeOf[h] = own[sectorOf[i]];
    });
  }
  const indices = new Uint32Array(6 * s.faces);
  for (let f = 0; f < s.faces; f++) {
    const h = s.faceStart[f];
    indices.set([nodeOf[h], nodeOf[h + 1], nodeOf[h + 2], nodeOf[h], nodeOf[h + 2], nodeOf[h + 3]], 6 * f);
  }
  const base = levels[0].shape;
  const share = 6 * 4 ** (levels.length - 2);
  const faceRanges = new Uint32Array(2 * base.faces);
  for (let f = 0; f < base.faces; f++)
    faceRanges.set([share * base.faceStart[f], share * (base.faceStart[f + 1] - base.faceStart[f])], 2 * f);
  return { levels: levels.map(({ shape, sharpness, pins }) => ({ shape, sharpness, pins })), indices, faceRanges, nodes, split, plain };
}

function whole(frame: Frame, last: Level, level: number): SmoothMesh {
  const positions = new Float64Array(3 * frame.nodes);
  const normals = new Float64Array(3 * frame.nodes);
  for (let v = 0; v < last.shape.vertices; v++) putLimit(frame, last, v, positions, normals);
  return { level, positions, normals, indices: frame.indices, faceRanges: frame.faceRanges, shape: last.shape, touched: frame.nodes };
}

/** Weights of a plain vertex by its number of edges. */
const masks = new Map<number, { point: number; ends: number[][]; far: number[][] }>();
function maskOf(n: number) {
  let m = masks.get(n);
  if (!m) {
    const a = spokeWeight(n);
    const cos = (i: number) => Math.cos((2 * Math.PI * i) / n);
    m = {
      point: 1 / (n * (n + 5)),
      ends: [0, 1].map((k) => Array.from({ length: n }, (_, i) => a * cos(i - k))),
      far: [0, 1].map((k) => Array.from({ length: n }, (_, i) => cos(i - k) + cos(i + 1 - k))),
    };
    masks.set(n, m);
  }
  return m;
}
const fanHalves = new Uint32Array(4096);

function putLimit(frame: Frame, c: Level, v: number, positions: Float64Array, normals: Float64Array): void {
  const { shape: s, points: p } = c;
  if (!frame.plain[v]) {
    const l = vertexLimit(c, v);
    (frame.split.get(v) ?? [v]).forEach((node, i) => {
      positions.set(l.point, 3 * node);
      normals.set(l.normals[i] ?? l.normals[0], 3 * node);
    });
    return;
  }
  let n = 0;
  let h = s.out[v];
  if (h < 0) {
    positions.set(pointOf(p, v), 3 * v);
    normals[3 * v + 2] = 1;
    return;
  }
  do {
    fanHalves[n++] = h;
    h = s.twin[s.prev[h]];
  } while (h !== s.out[v] && n < fanHalves.length);
  const m = maskOf(n);
  const o = 3 * v;
  let [x, y, z] = [n * n * p[o], n * n * p[o + 1], n * n * p[o + 2]];
  let [ax, ay, az, bx, by, bz] = [0, 0, 0, 0, 0, 0];
  for (let i = 0; i < n; i++) {
    const g = s.next[fanHalves[i]];
    const e = 3 * s.corners[g];
    const f = 3 * s.corners[s.next[g]];
    x += 4 * p[e] + p[f];
    y += 4 * p[e + 1] + p[f + 1];
    z += 4 * p[e + 2] + p[f + 2];
    const [ea, fa, eb, fb] = [m.ends[0][i], m.far[0][i], m.ends[1][i], m.far[1][i]];
    ax += ea * p[e] + fa * p[f];
    ay += ea * p[e + 1] + fa * p[f + 1];
    az += ea * p[e + 2] + fa * p[f + 2];
    bx += eb * p[e] + fb * p[f];
    by += eb * p[e + 1] + fb * p[f + 1];
    bz += eb * p[e + 2] + fb * p[f + 2];
  }
  positions[o] = x * m.point;
  positions[o + 1] = y * m.point;
  positions[o + 2] = z * m.point;
  const [nx, ny, nz] = [ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx];
  const l = Math.hypot(nx, ny, nz);
  normals[o] = l > 0 ? nx / l : 0;
  normals[o + 1] = l > 0 ? ny / l : 0;
  normals[o + 2] = l > 0 ? nz / l : 1;
}

/** The mesh for other places of the same cage. */
function follow(k: Kept, c: Refinable): SmoothMesh {
  const before = k.points[0];
  if (c.points === before) return k.mesh;
  const moved: number[] = [];
  for (let v = 0; v < c.shape.vertices; v++)
    if (c.points[3 * v] !== before[3 * v] || c.points[3 * v + 1] !== before[3 * v + 1] || c.points[3 * v + 2] !== before[3 * v + 2])
      moved.push(v);
  if (!moved.length) return k.mesh;
  const { levels } = k.frame;
  const { level } = k.mesh;
  if (moved.length > FEW * c.shape.vertices) {
    const points = [c.points];
    // nobody else holds the places in between: they are written over
    for (let i = 0; i < level; i++) points.push(refinedPoints({ ...levels[i], points: points[i] }, k.points[i + 1]));
    k.points = points;
    k.mesh = whole(k.frame, { ...levels[level], points: points[level] }, level);
    return k.mesh;
  }
  const points = [c.points];
  let now: readonly number[] = moved;
  for (let i = 0; i < level; i++) {
    const next = k.points[i + 1].slice();
    now = refinedPointsAt({ ...levels[i], points: points[i] }, now, next);
    points.push(next);
  }
  const last: Level = { ...levels[level], points: points[level] };
  const near = new Set<number>();
  const { shape: s } = last;
  for (const v of now)
    for (const h of fanOf(s, v)) for (let g = s.faceStart[s.face[h]]; g < s.faceStart[s.face[h] + 1]; g++) near.add(s.corners[g]);
  const positions = k.mesh.positions.slice();
  const normals = k.mesh.normals.slice();
  for (const v of near) putLimit(k.frame, last, v, positions, normals);
  k.points = points;
  k.mesh = { ...k.mesh, positions, normals, touched: near.size };
  return k.mesh;
}

/** Vertices of the refined cage along an edge of the cage, from where the edge begins. */
export function alongEdge(m: SmoothMesh, e: number): number[] {
  const { shape: s } = m;
  const n = 2 ** m.level;
  const out: number[] = [];
  for (let i = 0; i < n; i++) out.push(s.corners[s.edgeHalf[n * e + i]]);
  out.push(s.corners[s.next[s.edgeHalf[n * e + n - 1]]]);
  return out;
}

/**
 * Steps of refinement after which the mesh stays within `chord` mm of the smooth surface, as far as `most` quads allow. Estimated: after one step
 * the vertices stand as far from the surface as a cubic's do, a sixth of the second difference, and a chord is off by an eighth; each step quarters it.
 */
export function levelFor(c: Refinable, chord: number, most: number): number {
  const first = smoothMesh(c, 1);
  const net = kept.get(c.shape)?.get(1)?.points[1];
  let worst = 0;
  if (net)
    for (let v = 0; v < first.shape.vertices; v++)
      worst = Math.max(
        worst,
        Math.hypot(
          net[3 * v] - first.positions[3 * v],
          net[3 * v + 1] - first.positions[3 * v + 1],
          net[3 * v + 2] - first.positions[3 * v + 2],
        ),
      );
  const wanted = 1 + Math.ceil(Math.log((0.75 * worst) / Math.max(1e-12, chord)) / Math.log(4));
  const allowed = 1 + Math.floor(Math.log(most / Math.max(1, first.shape.faces)) / Math.log(4));
  return Math.max(1, Math.min(wanted, allowed, 7));
}
