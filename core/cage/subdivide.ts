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
  const face = new Uint32Array(4 * n);
  const next = new Uint32Array(4 * n);
  const prev = new Uint32Array(4 * n);
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
    face[k] = face[k + 1] = face[k + 2] = face[k + 3] = h;
    next[k] = prev[k + 2] = k + 1;
    next[k + 1] = prev[k + 3] = k + 2;
    next[k + 2] = prev[k] = k + 3;
    next[k + 3] = prev[k + 1] = k;
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
/** A vertex, where `out` holds the sum of the ends of its edges and of the middles of its `n` faces: by its own rule, or plainly smooth. */
function putVertex(c: Refinable, v: number, n: number, plain: boolean, out: Float64Array): void {
  const { points } = c;
  const o = 3 * v;
  if (plain) {
    // (Q + 2 R + (n - 3) v) / n, with R from the middles of edges: (n - 2) / n v + (sum of ends + sum of face points) / n²
    const [a, b] = [(n - 2) / n, 1 / (n * n)];
    for (let k = 0; k < 3; k++) out[o + k] = a * points[o + k] + b * out[o + k];
    return;
  }
  const r = vertexRule(c, v);
  const [p, q] = [3 * r.along[0], 3 * r.along[1]];
  for (let k = 0; k < 3; k++) {
    const smooth = r.smooth > 0 ? ((n - 2) / n) * points[o + k] + out[o + k] / (n * n) : 0;
    const crease = r.crease > 0 ? 0.75 * points[o + k] + 0.125 * (points[p + k] + points[q + k]) : 0;
    out[o + k] = r.smooth * smooth + r.crease * crease + r.held * points[o + k];
  }
}

/** Places after one step, in the order of `refinedShape`. */
export function refinedPoints(c: Refinable): Float64Array {
  const { shape: s, points, sharpness, pins } = c;
  const [V, E, F, n] = [s.vertices, s.edges, s.faces, s.corners.length];
  const { corners, next, twin, edgeHalf, face } = s;
  const out = new Float64Array(3 * (V + E + F));
  const faceAt = 3 * (V + E);
  for (let f = 0; f < F; f++) putFace(c, f, out);
  for (let e = 0; e < E; e++) putEdge(c, e, out);
  // sums over the faces and edges of every vertex, and whether anything at it is not plainly smooth
  const marked = new Uint8Array(V);
  for (let e = 0; e < E; e++)
    if (sharpness[e] > 0 || twin[edgeHalf[e]] < 0) marked[corners[edgeHalf[e]]] = marked[corners[next[edgeHalf[e]]]] = 1;
  const valence = new Uint32Array(V);
  for (let h = 0; h < n; h++) {
    const v = corners[h];
    valence[v]++;
    const o = 3 * v;
    const [w, f] = [3 * corners[next[h]], faceAt + 3 * face[h]];
    for (let k = 0; k < 3; k++) out[o + k] += points[w + k] + out[f + k];
  }
  for (let v = 0; v < V; v++) putVertex(c, v, valence[v], !marked[v] && !(pins[v] > 0) && valence[v] > 0, out);
  return out;
}

/**
 * Places after one step where only the vertices `moved` have changed, put into `out` (the places before); gives the vertices of the refined cage
 * that were worked out: all that stand in a face with one that moved.
 */
export function refinedPointsAt(c: Refinable, moved: readonly number[], out: Float64Array): number[] {
  const { shape: s, points } = c;
  const [V, E] = [s.vertices, s.edges];
  const { corners, next, twin, face, faceStart } = s;
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
  const faceAt = 3 * (V + E);
  for (const v of vertices) {
    const o = 3 * v;
    let [n, x, y, z] = [0, 0, 0, 0];
    let h = s.out[v];
    do {
      n++;
      const [w, f] = [3 * corners[next[h]], faceAt + 3 * face[h]];
      x += points[w] + out[f];
      y += points[w + 1] + out[f + 1];
      z += points[w + 2] + out[f + 2];
      h = twin[s.prev[h]];
    } while (h >= 0 && h !== s.out[v]);
    out[o] = x;
    out[o + 1] = y;
    out[o + 2] = z;
    putVertex(c, v, n, false, out);
  }
  return [...vertices, ...[...edges].map((e) => V + e), ...[...faces].map((f) => V + E + f)];
}
