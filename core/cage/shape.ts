/**
 * How the faces of a cage hang together, without places. A half-edge is told by the corner it starts at: half-edge h runs from vertex
 * `corners[h]` to the next corner of the same face, counterclockwise seen from outside, its face on its left.
 */
export interface CageShape {
  readonly vertices: number;
  readonly edges: number;
  readonly faces: number;
  /** Corners of face f are `faceStart[f]` to `faceStart[f + 1]`. */
  readonly faceStart: Uint32Array;
  /** Vertex of every corner. */
  readonly corners: Uint32Array;
  /** Face of every corner. */
  readonly face: Uint32Array;
  readonly next: Uint32Array;
  readonly prev: Uint32Array;
  /** The half-edge that runs the other way in the neighbouring face; -1 at the border. */
  readonly twin: Int32Array;
  /** Edge of every half-edge. */
  readonly edgeOf: Uint32Array;
  /** A half-edge of every edge; the edge is told to run its way. */
  readonly edgeHalf: Uint32Array;
  /** An outgoing half-edge of every vertex, at the border the one that has no face on its right; -1 for a vertex without faces. */
  readonly out: Int32Array;
}
export interface ShapeTrouble {
  readonly message: string;
  /** Vertices where it is. */
  readonly at: readonly number[];
}
export type MadeShape = { readonly ok: true; readonly shape: CageShape } | { readonly ok: false; readonly trouble: ShapeTrouble };

/**
 * The shape of faces given by their vertices. Refused: faces with fewer than three corners or with a vertex twice, an edge of three faces,
 * two faces that run the same way along an edge, and vertices at which two fans of faces meet in nothing but the point.
 */
export function makeShape(vertices: number, faceStart: Uint32Array, corners: Uint32Array): MadeShape {
  const faces = faceStart.length - 1;
  const n = corners.length;
  const face = new Uint32Array(n);
  const next = new Uint32Array(n);
  const prev = new Uint32Array(n);
  const no = (message: string, ...at: number[]): MadeShape => ({ ok: false, trouble: { message, at } });
  const seen = new Int32Array(vertices).fill(-1);
  for (let f = 0; f < faces; f++) {
    const [a, b] = [faceStart[f], faceStart[f + 1]];
    if (b - a < 3) return no('A face has fewer than three corners', ...corners.slice(a, b));
    for (let h = a; h < b; h++) {
      const v = corners[h];
      if (v >= vertices) return no(`A face names vertex ${v}, and there are ${vertices}`);
      if (seen[v] === f) return no('A face runs through a vertex twice', v);
      seen[v] = f;
      face[h] = f;
      next[h] = h + 1 < b ? h + 1 : a;
      prev[h] = h > a ? h - 1 : b - 1;
    }
  }
  // half-edges by the vertex they start at
  const first = new Uint32Array(vertices + 1);
  for (let h = 0; h < n; h++) first[corners[h] + 1]++;
  for (let v = 0; v < vertices; v++) first[v + 1] += first[v];
  const from = new Uint32Array(n);
  const fill = first.slice();
  for (let h = 0; h < n; h++) from[fill[corners[h]]++] = h;
  const twin = new Int32Array(n).fill(-1);
  const edgeOf = new Uint32Array(n);
  const halves: number[] = [];
  for (let h = 0; h < n; h++) {
    const [v, w] = [corners[h], corners[next[h]]];
    for (let i = first[v]; i < first[v + 1]; i++)
      if (from[i] !== h && corners[next[from[i]]] === w) return no('Two faces run the same way along an edge, or three meet in it', v, w);
    for (let i = first[w]; i < first[w + 1]; i++) if (corners[next[from[i]]] === v) twin[h] = from[i];
    if (twin[h] < 0 || h < twin[h]) {
      edgeOf[h] = halves.length;
      halves.push(h);
    } else edgeOf[h] = edgeOf[twin[h]];
  }
  const out = new Int32Array(vertices).fill(-1);
  for (let h = 0; h < n; h++) if (out[corners[h]] < 0 || twin[h] < 0) out[corners[h]] = h;
  for (let v = 0; v < vertices; v++) {
    if (out[v] < 0) continue;
    let count = 0;
    let h = out[v];
    do {
      count++;
      h = twin[prev[h]];
    } while (h >= 0 && h !== out[v]);
    if (count !== first[v + 1] - first[v]) return no('Faces meet in a single point', v);
  }
  return {
    ok: true,
    shape: {
      vertices,
      edges: halves.length,
      faces,
      faceStart,
      corners,
      face,
      next,
      prev,
      twin,
      edgeOf,
      edgeHalf: Uint32Array.from(halves),
      out,
    },
  };
}

/** Outgoing half-edges of a vertex, counterclockwise; at the border from the one without a face on its right. */
export function fanOf(s: CageShape, v: number): number[] {
  const list: number[] = [];
  let h = s.out[v];
  if (h < 0) return list;
  do {
    list.push(h);
    h = s.twin[s.prev[h]];
  } while (h >= 0 && h !== s.out[v]);
  return list;
}
export const endOf = (s: CageShape, h: number): number => s.corners[s.next[h]];
/** Number of edges at a vertex. */
export function valenceOf(s: CageShape, v: number): number {
  const fan = fanOf(s, v);
  return fan.length + (fan.length && s.twin[s.prev[fan[fan.length - 1]]] < 0 ? 1 : 0);
}
export const isBorderVertex = (s: CageShape, v: number): boolean => s.out[v] >= 0 && s.twin[s.out[v]] < 0;
export const isBorderEdge = (s: CageShape, e: number): boolean => s.twin[s.edgeHalf[e]] < 0;
export const cornersOf = (s: CageShape, f: number): number => s.faceStart[f + 1] - s.faceStart[f];
/** The edge between two vertices, or -1. */
export function edgeBetween(s: CageShape, v: number, w: number): number {
  for (const h of fanOf(s, v)) {
    if (endOf(s, h) === w) return s.edgeOf[h];
    if (s.corners[s.prev[h]] === w) return s.edgeOf[s.prev[h]];
  }
  return -1;
}
/** Connected parts, as the faces of each. */
export function partsOf(s: CageShape): number[][] {
  const part = new Int32Array(s.faces).fill(-1);
  const out: number[][] = [];
  for (let f = 0; f < s.faces; f++) {
    if (part[f] >= 0) continue;
    const list = [f];
    part[f] = out.length;
    for (let i = 0; i < list.length; i++)
      for (let h = s.faceStart[list[i]]; h < s.faceStart[list[i] + 1]; h++) {
        const g = s.twin[h] >= 0 ? s.face[s.twin[h]] : -1;
        if (g < 0 || part[g] >= 0) continue;
        part[g] = out.length;
        list.push(g);
      }
    out.push(list);
  }
  return out;
}
/** Borders as rings of half-edges, each running with its face on its left. */
export function bordersOf(s: CageShape): number[][] {
  const done = new Uint8Array(s.corners.length);
  const out: number[][] = [];
  for (let h = 0; h < s.corners.length; h++) {
    if (s.twin[h] >= 0 || done[h]) continue;
    const ring: number[] = [];
    for (let g = h; !done[g]; ) {
      done[g] = 1;
      ring.push(g);
      // round the end of g to the next half-edge without a face on its right
      g = s.out[endOf(s, g)];
    }
    out.push(ring);
  }
  return out;
}

/** Do two shapes have the same faces over the same vertices, in the same order? */
export const sameFaces = (a: CageShape, b: CageShape): boolean =>
  a === b ||
  (a.vertices === b.vertices &&
    a.faces === b.faces &&
    a.corners.length === b.corners.length &&
    a.corners.every((v, i) => v === b.corners[i]) &&
    a.faceStart.every((v, i) => v === b.faceStart[i]));
