import TinyQueue from 'tinyqueue';
import { type CageShape, cornersOf, endOf, fanOf, isBorderVertex } from './shape.ts';

/** The half-edge that goes straight on behind the end of one: across a vertex of four quads inside, along the border at its rim. */
export function straightOn(s: CageShape, h: number): number {
  const v = endOf(s, h);
  if (s.twin[h] < 0) return s.out[v];
  if (isBorderVertex(s, v)) return -1;
  const fan = fanOf(s, v);
  if (fan.length !== 4) return -1;
  const back = fan.indexOf(s.twin[h]);
  return back < 0 ? -1 : fan[(back + 2) % 4];
}
/** Edges of the loop through an edge, in order, as half-edges that follow each other. */
export function edgeLoop(s: CageShape, e: number): { halves: number[]; closed: boolean } {
  const start = s.edgeHalf[e];
  const run = (from: number): { list: number[]; closed: boolean } => {
    const list: number[] = [];
    for (let h = straightOn(s, from); h >= 0; h = straightOn(s, h)) {
      if (h === from) return { list, closed: true };
      if (list.length > s.edges) break;
      list.push(h);
    }
    return { list, closed: false };
  };
  const ahead = run(start);
  if (ahead.closed) return { halves: [start, ...ahead.list], closed: true };
  if (s.twin[start] < 0) return { halves: [start, ...ahead.list], closed: false };
  const behind = run(s.twin[start]).list.map((h) => s.twin[h]);
  return { halves: [...behind.reverse(), start, ...ahead.list], closed: false };
}
/** Edges of the ring through an edge: from each across its quad to the opposite one. */
export function edgeRing(s: CageShape, e: number): { halves: number[]; closed: boolean } {
  const start = s.edgeHalf[e];
  const walk = (from: number): { list: number[]; closed: boolean } => {
    const list: number[] = [];
    let h = from;
    while (h >= 0 && cornersOf(s, s.face[h]) === 4) {
      // the opposite side, told the same way round as the one it came from
      const over = s.next[s.next[h]];
      const t = s.twin[over];
      if (t === from) return { list, closed: true };
      if (list.length > s.edges) break;
      list.push(over);
      h = t;
    }
    return { list, closed: false };
  };
  const ahead = walk(start);
  if (ahead.closed) return { halves: [start, ...ahead.list], closed: true };
  const behind = s.twin[start] >= 0 ? walk(s.twin[start]).list : [];
  return { halves: [...behind.reverse(), start, ...ahead.list], closed: false };
}
/** Faces of the ring through an edge. */
export function faceLoop(s: CageShape, e: number): number[] {
  const { halves } = edgeRing(s, e);
  const out = new Set<number>();
  for (const h of halves) {
    if (cornersOf(s, s.face[h]) === 4) out.add(s.face[h]);
    if (s.twin[h] >= 0 && cornersOf(s, s.face[s.twin[h]]) === 4) out.add(s.face[s.twin[h]]);
  }
  return [...out];
}
/** Vertices with those next to them. */
export function grown(s: CageShape, vertices: readonly number[]): number[] {
  const out = new Set(vertices);
  for (const v of vertices)
    for (const h of fanOf(s, v)) {
      out.add(endOf(s, h));
      out.add(s.corners[s.prev[h]]);
    }
  return [...out];
}
/** Vertices all of whose neighbours are among them. */
export function shrunk(s: CageShape, vertices: readonly number[]): number[] {
  const own = new Set(vertices);
  return vertices.filter((v) => fanOf(s, v).every((h) => own.has(endOf(s, h)) && own.has(s.corners[s.prev[h]])));
}
/** Faces with those that share an edge with them. */
export function grownFaces(s: CageShape, faces: readonly number[]): number[] {
  const out = new Set(faces);
  for (const f of faces) for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) if (s.twin[h] >= 0) out.add(s.face[s.twin[h]]);
  return [...out];
}
export function shrunkFaces(s: CageShape, faces: readonly number[]): number[] {
  const own = new Set(faces);
  return faces.filter((f) => {
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) if (s.twin[h] < 0 || !own.has(s.face[s.twin[h]])) return false;
    return true;
  });
}

/**
 * Share with which each vertex follows a selection: 1 in it, falling to 0 at `radius` mm from the nearest of it, along edges, so that what lies
 * close by in space but far along the cage stays. Smooth at both ends: (1 - t²)².
 */
export function falloff(s: CageShape, points: Float64Array, vertices: readonly number[], radius: number): Float64Array {
  const out = new Float64Array(s.vertices);
  const far = new Float64Array(s.vertices).fill(Infinity);
  const heap = new TinyQueue<readonly [number, number]>([], (a, b) => a[0] - b[0]);
  const push = (d: number, v: number) => {
    if (d >= far[v]) return;
    far[v] = d;
    heap.push([d, v]);
  };
  for (const v of vertices) push(0, v);
  for (let top = heap.pop(); top; top = heap.pop()) {
    const [d, v] = top;
    if (d > far[v] || d > radius) continue;
    for (const h of fanOf(s, v))
      for (const w of [endOf(s, h), s.corners[s.prev[h]]]) {
        const l = Math.hypot(points[3 * v] - points[3 * w], points[3 * v + 1] - points[3 * w + 1], points[3 * v + 2] - points[3 * w + 2]);
        push(d + l, w);
      }
  }
  for (let v = 0; v < s.vertices; v++) {
    const t = radius > 0 ? far[v] / radius : far[v] > 0 ? 1 : 0;
    out[v] = t < 1 ? (1 - t * t) ** 2 : 0;
  }
  return out;
}
