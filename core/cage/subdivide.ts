import type { Cage } from './cage.ts';
import type { CageShape } from './shape.ts';

/** A cage after some steps of refinement: quads, with what is left of the sharpness. */
export interface Level {
  readonly shape: CageShape;
  readonly points: Float64Array;
  readonly sharpness: Float64Array;
  readonly pins: Float64Array;
}
export type Refinable = Pick<Cage, 'shape' | 'points' | 'sharpness' | 'pins'>;

/**
 * Faces, edges and vertices after one step of Catmull and Clark (1978). Vertices: the old ones, then one for every edge, then one for every
 * face. Face h lies at the old corner h: vertex, middle of the edge that starts there, middle of the face, middle of the edge that ends there.
 * Edges: the two halves of edge e are 2e (where the edge begins) and 2e + 1, then one from every corner's edge to the middle of its face.
 */
export function refinedShape(s: CageShape): CageShape {
  const n = s.corners.length;
  const [V, E] = [s.vertices, s.edges];
  const corners = new Uint32Array(4 * n);
  const { face, next, prev } = quadsInRow(n);
  const twin = new Int32Array(4 * n);
  const edgeOf = new Uint32Array(4 * n);
  const edgeHalf = new Uint32Array(2 * E + n);
  const out = new Int32Array(V + E + s.faces).fill(-1);
  const faceStart = new Uint32Array(n + 1);
  for (let h = 0; h < n; h++) {
    const [k, p, t] = [4 * h, s.prev[h], s.twin[h]];
    faceStart[h + 1] = k + 4;
    corners[k] = s.corners[h];
    corners[k + 1] = V + s.edgeOf[h];
    corners[k + 2] = V + E + s.face[h];
    corners[k + 3] = V + s.edgeOf[p];
    twin[k] = t < 0 ? -1 : 4 * s.next[t] + 3;
    twin[k + 1] = 4 * s.next[h] + 2;
    twin[k + 2] = 4 * p + 1;
    twin[k + 3] = s.twin[p] < 0 ? -1 : 4 * s.twin[p];
    const begins = s.edgeHalf[s.edgeOf[h]] === h;
    const ends = s.edgeHalf[s.edgeOf[p]] === p;
    edgeOf[k] = 2 * s.edgeOf[h] + (begins ? 0 : 1);
    edgeOf[k + 1] = 2 * E + h;
    edgeOf[k + 2] = 2 * E + p;
    edgeOf[k + 3] = 2 * s.edgeOf[p] + (ends ? 1 : 0);
    // halves run the way their edge runs; an edge to the middle of a face runs there
    if (begins) edgeHalf[2 * s.edgeOf[h]] = k;
    if (ends) edgeHalf[2 * s.edgeOf[p] + 1] = k + 3;
    edgeHalf[2 * E + h] = k + 1;
    out[V + E + s.face[h]] = k + 2;
  }
  for (let v = 0; v < V; v++) if (s.out[v] >= 0) out[v] = 4 * s.out[v];
  // the middle of an edge begins with the edge's second half, which at the border has no face on its right
  for (let e = 0; e < E; e++) out[V + e] = 4 * s.next[s.edgeHalf[e]] + 3;
  return { vertices: V + E + s.faces, edges: 2 * E + n, faces: n, faceStart, corners, face, next, prev, twin, edgeOf, edgeHalf, out };
}

/** Faces of four corners one behind the other: which face a corner is of, which one comes after it and before it. The same for all, so kept once. */
let row = { face: new Uint32Array(0), next: new Uint32Array(0), prev: new Uint32Array(0) };
function quadsInRow(faces: number): typeof row {
  if (row.face.length < 4 * faces) {
    const n = Math.max(4 * faces, 2 * row.face.length);
    row = { face: new Uint32Array(n), next: new Uint32Array(n), prev: new Uint32Array(n) };
    for (let k = 0; k < n; k++) {
      row.face[k] = k >> 2;
      row.next[k] = (k & ~3) | ((k + 1) & 3);
      row.prev[k] = (k & ~3) | ((k + 3) & 3);
    }
  }
  return {
    face: row.face.subarray(0, 4 * faces),
    next: row.next.subarray(0, 4 * faces),
    prev: row.prev.subarray(0, 4 * faces),
  };
}

/** What one step leaves of a sharpness. */
export const sharperNext = (s: number): number => (s > 1 ? s - 1 : 0);

/**
 * One step of refinement. Sharpness as by DeRose, Kass and Truong (1998): an edge of sharpness 1 or more and a border keep to themselves, one
 * between 0 and 1 goes between both rules; so does a vertex by the mean sharpness of the sharp edges at it, on a crease where two meet, held
 * where three or more do, or where a border turns round a single face; a vertex that is pinned is held by its own sharpness.
 */
export function refine(c: Refinable): Level {
  return { shape: refinedShape(c.shape), ...refinedValues(c) };
}
/** Places and sharpness after one step, without the shape: what is needed anew while places move. */
export function refinedValues(c: Refinable): { points: Float64Array; sharpness: Float64Array; pins: Float64Array } {
  return { points: refinedPoints(c), sharpness: refinedSharpness(c), pins: refinedPins(c) };
}
function refinedSharpness({ shape: s, sharpness }: Refinable): Float64Array {
  const out = new Float64Array(2 * s.edges + s.corners.length);
  for (let e = 0; e < s.edges; e++) if (sharpness[e] > 0) out[2 * e] = out[2 * e + 1] = sharperNext(sharpness[e]);
  return out;
}
function refinedPins({ shape: s, pins }: Refinable): Float64Array {
  const out = new Float64Array(s.vertices + s.edges + s.faces);
  for (let v = 0; v < s.vertices; v++) if (pins[v] > 0) out[v] = sharperNext(pins[v]);
  return out;
}

/** Rule of a vertex: how much it keeps to the smooth rule, to the rule of a crease along two edges, and stays where it is. */
export interface VertexRule {
  readonly smooth: number;
  readonly crease: number;
  readonly held: number;
  /** The far ends of the two edges of the crease. */
  readonly along: readonly [number, number];
}
/** The rule of a vertex at this step. */
export function vertexRule({ shape: s, sharpness, pins }: Refinable, v: number): VertexRule {
  let [count, sum, faces] = [0, 0, 0];
  const ends: number[] = [];
  const take = (h: number, far: number) => {
    const x = s.twin[h] < 0 ? Number.POSITIVE_INFINITY : sharpness[s.edgeOf[h]];
    if (!(x > 0)) return;
    count++;
    sum += x;
    ends.push(far);
  };
  let h = s.out[v];
  if (h < 0) return { smooth: 0, crease: 0, held: 1, along: [v, v] };
  do {
    faces++;
    take(h, s.corners[s.next[h]]);
    const p = s.prev[h];
    if (s.twin[p] < 0) take(p, s.corners[p]);
    h = s.twin[p];
  } while (h >= 0 && h !== s.out[v]);
  const pinned = Math.min(1, pins[v]);
  const along: readonly [number, number] = [ends[0] ?? v, ends[1] ?? v];
  const corner = count > 2 || (count === 2 && faces === 1);
  const weight = count < 2 ? 0 : Math.min(1, sum / count);
  return {
    smooth: (1 - pinned) * (1 - weight),
    crease: corner ? 0 : (1 - pinned) * weight,
    held: pinned + (corner ? (1 - pinned) * weight : 0),
    along,
  };
}

/** The middle of a face after one step, put into `out`. */
function putFace({ shape: s, points }: Refinable, f: number, out: Float64Array): void {
  const [a, b] = [s.faceStart[f], s.faceStart[f + 1]];
  let [x, y, z] = [0, 0, 0];
  for (let h = a; h < b; h++) {
    const o = 3 * s.corners[h];
    x += points[o];
    y += points[o + 1];
    z += points[o + 2];
  }
  const k = 1 / (b - a);
  const o = 3 * (s.vertices + s.edges + f);
  out[o] = k * x;
  out[o + 1] = k * y;
  out[o + 2] = k * z;
}
/** The vertex in an edge, once the middles of its faces stand in `out`. */
function putEdge({ shape: s, points, sharpness }: Refinable, e: number, out: Float64Array): void {
  const faceAt = 3 * (s.vertices + s.edges);
  const h = s.edgeHalf[e];
  const [a, b, o] = [3 * s.corners[h], 3 * s.corners[s.next[h]], 3 * (s.vertices + e)];
  const t = s.twin[h];
  const w = t < 0 ? 1 : Math.min(1, sharpness[e]);
  const [m, q] = [0.5 * w + 0.25 * (1 - w), 0.25 * (1 - w)];
  const f = faceAt + 3 * s.face[h];
  const g = t < 0 ? f : faceAt + 3 * s.face[t];
  for (let k = 0; k < 3; k++) out[o + k] = m * (points[a + k] + points[b + k]) + (q ? q * (out[f + k] + out[g + k]) : 0);
}
/** A vertex, where `out` holds the sum of the ends of its edges and of the middles of its `n` faces. */
function putVertex(c: Refinable, v: number, n: number, out: Float64Array): void {
  const { points } = c;
  const o = 3 * v;
  const r = vertexRule(c, v);
  const [p, q] = [3 * r.along[0], 3 * r.along[1]];
  for (let k = 0; k < 3; k++) {
    // (Q + 2 R + (n - 3) v) / n, with R from the middles of edges: (n - 2) / n v + (sum of ends + sum of face points) / n²
    const smooth = r.smooth > 0 ? ((n - 2) / n) * points[o + k] + out[o + k] / (n * n) : 0;
    const crease = r.crease > 0 ? 0.75 * points[o + k] + 0.125 * (points[p + k] + points[q + k]) : 0;
    out[o + k] = r.smooth * smooth + r.crease * crease + r.held * points[o + k];
  }
}

/** Where the numbers stand that a step over a shape reads and writes, three times the index of each. */
interface Plan {
  /** All faces have four corners. */
  readonly quads: boolean;
  readonly corners: Int32Array;
  /** Of every half-edge: the vertex in its edge where the face on its other side is done before its own, else -1. */
  readonly edge: Int32Array;
  /** And the middle of that face. */
  readonly other: Int32Array;
  /** Faces at every vertex. */
  readonly valence: Int32Array;
  readonly borders: readonly number[];
}
const plans = new WeakMap<CageShape, Plan>();
function planOf(s: CageShape): Plan {
  let plan = plans.get(s);
  if (plan) return plan;
  const n = s.corners.length;
  const [corners, edge, other] = [0, 1, 2].map(() => new Int32Array(n));
  const valence = new Int32Array(s.vertices);
  const faceAt = 3 * (s.vertices + s.edges);
  const borders: number[] = [];
  for (let h = 0; h < n; h++) {
    const t = s.twin[h];
    corners[h] = 3 * s.corners[h];
    valence[s.corners[h]]++;
    if (t < 0) borders.push(s.edgeOf[h]);
    const after = t >= 0 && s.face[t] < s.face[h];
    edge[h] = after ? 3 * (s.vertices + s.edgeOf[h]) : -1;
    if (after) other[h] = faceAt + 3 * s.face[t];
  }
  let quads = n === 4 * s.faces;
  for (let f = 0; quads && f < s.faces; f++) quads = s.faceStart[f] === 4 * f;
  plan = { quads, corners, edge, other, valence, borders };
  plans.set(s, plan);
  return plan;
}

/** The vertex in an edge, by its ends at `a` and `b` and the middles of its faces at `f` and `g`. */
function putBetween(p: Float64Array, a: number, b: number, out: Float64Array, f: number, g: number, o: number): void {
  out[o] = 0.25 * (p[a] + p[b] + out[f] + out[g]);
  out[o + 1] = 0.25 * (p[a + 1] + p[b + 1] + out[f + 1] + out[g + 1]);
  out[o + 2] = 0.25 * (p[a + 2] + p[b + 2] + out[f + 2] + out[g + 2]);
}
/**
 * Middles of faces, edges between two faces once both are done, and at every vertex the sum of what stands round it. Quads in one go, their
 * corners read once: what is slow here is memory.
 */
function putQuads(plan: Plan, p: Float64Array, out: Float64Array, faceAt: number): void {
  const { corners, edge, other } = plan;
  for (let h = 0, o = faceAt; h < corners.length; h += 4, o += 3) {
    const a = corners[h];
    const b = corners[h + 1];
    const c = corners[h + 2];
    const d = corners[h + 3];
    const ax = p[a];
    const ay = p[a + 1];
    const az = p[a + 2];
    const bx = p[b];
    const by = p[b + 1];
    const bz = p[b + 2];
    const cx = p[c];
    const cy = p[c + 1];
    const cz = p[c + 2];
    const dx = p[d];
    const dy = p[d + 1];
    const dz = p[d + 2];
    const x = 0.25 * (ax + bx + cx + dx);
    const y = 0.25 * (ay + by + cy + dy);
    const z = 0.25 * (az + bz + cz + dz);
    out[o] = x;
    out[o + 1] = y;
    out[o + 2] = z;
    out[a] += bx + x;
    out[a + 1] += by + y;
    out[a + 2] += bz + z;
    out[b] += cx + x;
    out[b + 1] += cy + y;
    out[b + 2] += cz + z;
    out[c] += dx + x;
    out[c + 1] += dy + y;
    out[c + 2] += dz + z;
    out[d] += ax + x;
    out[d + 1] += ay + y;
    out[d + 2] += az + z;
    let q = edge[h];
    if (q >= 0) {
      const g = other[h];
      out[q] = 0.25 * (ax + bx + x + out[g]);
      out[q + 1] = 0.25 * (ay + by + y + out[g + 1]);
      out[q + 2] = 0.25 * (az + bz + z + out[g + 2]);
    }
    q = edge[h + 1];
    if (q >= 0) {
      const g = other[h + 1];
      out[q] = 0.25 * (bx + cx + x + out[g]);
      out[q + 1] = 0.25 * (by + cy + y + out[g + 1]);
      out[q + 2] = 0.25 * (bz + cz + z + out[g + 2]);
    }
    q = edge[h + 2];
    if (q >= 0) {
      const g = other[h + 2];
      out[q] = 0.25 * (cx + dx + x + out[g]);
      out[q + 1] = 0.25 * (cy + dy + y + out[g + 1]);
      out[q + 2] = 0.25 * (cz + dz + z + out[g + 2]);
    }
    q = edge[h + 3];
    if (q >= 0) {
      const g = other[h + 3];
      out[q] = 0.25 * (dx + ax + x + out[g]);
      out[q + 1] = 0.25 * (dy + ay + y + out[g + 1]);
      out[q + 2] = 0.25 * (dz + az + z + out[g + 2]);
    }
  }
}
function putFaces(plan: Plan, c: Refinable, out: Float64Array, faceAt: number): void {
  const { corners, edge, other } = plan;
  const { faceStart, next, faces } = c.shape;
  const p = c.points;
  for (let f = 0; f < faces; f++) {
    putFace(c, f, out);
    const o = faceAt + 3 * f;
    for (let h = faceStart[f]; h < faceStart[f + 1]; h++) {
      const [a, b] = [corners[h], corners[next[h]]];
      for (let k = 0; k < 3; k++) out[a + k] += p[b + k] + out[o + k];
      if (edge[h] >= 0) putBetween(p, a, b, out, o, other[h], edge[h]);
    }
  }
}
/** Vertices by the smooth rule, where `out` holds the sum of what stands round them. */
function putSmooth(valence: Int32Array, p: Float64Array, out: Float64Array): void {
  for (let v = 0, o = 0; v < valence.length; v++, o += 3) {
    const n = valence[v];
    const own = n === 4 ? 0.5 : n ? (n - 2) / n : 1;
    const sum = n === 4 ? 0.0625 : n ? 1 / (n * n) : 0;
    out[o] = own * p[o] + sum * out[o];
    out[o + 1] = own * p[o + 1] + sum * out[o + 1];
    out[o + 2] = own * p[o + 2] + sum * out[o + 2];
  }
}

/**
 * Places after one step, in the order of `refinedShape`: everything by the smooth rule, then what has another one. Put into `out` when an array
 * of that length is given.
 */
export function refinedPoints(
  c: Refinable,
  out: Float64Array = new Float64Array(3 * (c.shape.vertices + c.shape.edges + c.shape.faces)),
): Float64Array {
  const { shape: s, points, sharpness, pins } = c;
  const plan = planOf(s);
  const faceAt = 3 * (s.vertices + s.edges);
  out.fill(0, 0, 3 * s.vertices);
  if (plan.quads) putQuads(plan, points, out, faceAt);
  else putFaces(plan, c, out, faceAt);
  putSmooth(plan.valence, points, out);
  const special = new Set<number>();
  const bySharpness = (e: number) => {
    putEdge(c, e, out);
    const h = s.edgeHalf[e];
    special.add(s.corners[h]).add(s.corners[s.next[h]]);
  };
  for (const e of plan.borders) bySharpness(e);
  for (const e of aboveZero(sharpness)) if (s.twin[s.edgeHalf[e]] >= 0) bySharpness(e);
  for (const v of aboveZero(pins)) if (s.out[v] >= 0) special.add(v);
  for (const v of special) putSpecial(c, v, out);
  return out;
}
const positives = new WeakMap<Float64Array, readonly number[]>();
/** Where a list that nobody changes is above zero. */
function aboveZero(list: Float64Array): readonly number[] {
  let found = positives.get(list);
  if (!found) {
    const own: number[] = [];
    for (let i = 0; i < list.length; i++) if (list[i] > 0) own.push(i);
    found = own;
    positives.set(list, found);
  }
  return found;
}
/** A vertex by its own rule, from what stands round it. */
function putSpecial(c: Refinable, v: number, out: Float64Array): void {
  const { shape: s, points } = c;
  const faceAt = 3 * (s.vertices + s.edges);
  let n = 0;
  let x = 0;
  let y = 0;
  let z = 0;
  let h = s.out[v];
  do {
    n++;
    const w = 3 * s.corners[s.next[h]];
    const f = faceAt + 3 * s.face[h];
    x += points[w] + out[f];
    y += points[w + 1] + out[f + 1];
    z += points[w + 2] + out[f + 2];
    h = s.twin[s.prev[h]];
  } while (h >= 0 && h !== s.out[v]);
  out[3 * v] = x;
  out[3 * v + 1] = y;
  out[3 * v + 2] = z;
  putVertex(c, v, n, out);
}

/**
 * Places after one step where only the vertices `moved` have changed, put into `out` (the places before); gives the vertices of the refined cage
 * that were worked out: all that stand in a face with one that moved.
 */
export function refinedPointsAt(c: Refinable, moved: readonly number[], out: Float64Array): number[] {
  const { shape: s } = c;
  const [V, E] = [s.vertices, s.edges];
  const { corners, twin, face, faceStart } = s;
  const faces = new Set<number>();
  for (const v of moved) {
    let h = s.out[v];
    if (h < 0) continue;
    do {
      faces.add(face[h]);
      h = twin[s.prev[h]];
    } while (h >= 0 && h !== s.out[v]);
  }
  const edges = new Set<number>();
  const vertices = new Set<number>();
  for (const f of faces) {
    putFace(c, f, out);
    for (let h = faceStart[f]; h < faceStart[f + 1]; h++) {
      edges.add(s.edgeOf[h]);
      vertices.add(corners[h]);
    }
  }
  for (const e of edges) putEdge(c, e, out);
  for (const v of vertices) putSpecial(c, v, out);
  return [...vertices, ...[...edges].map((e) => V + e), ...[...faces].map((f) => V + E + f)];
}
