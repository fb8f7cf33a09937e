import { type Body, type Edge, edgePoint, type Vertex, withShells } from '../brep/index.ts';
import { distance, lerp, type Vec3 } from '../math/index.ts';

/** Edges shorter than `most` (mm) drawn together into one corner. Loops that would be left without two edges keep theirs. */
export function dropTinyEdges(b: Body, most: number): { body: Body; dropped: { at: Vec3; length: number }[] } {
  const dropped: { at: Vec3; length: number }[] = [];
  const becomes = new Map<number, number>();
  const corner = (v: number): number => {
    const k = becomes.get(v);
    return k === undefined ? v : corner(k);
  };
  const vertices: Vertex[] = [...b.vertices];
  const gone = new Set<number>();
  b.edges.forEach((e, i) => {
    if (e.degenerate || e.start === e.end) return;
    const l = lengthOf(e);
    if (!(l < most)) return;
    const loops = b.faces.flatMap((f) => f.loops).filter((x) => x.some((u) => u.edge === i));
    if (!loops.length || loops.some((x) => x.filter((u) => !gone.has(u.edge)).length < 3)) return;
    const [p, q] = [corner(e.start), corner(e.end)];
    if (p === q) return;
    gone.add(i);
    becomes.set(q, p);
    const at = lerp(vertices[p].point, vertices[q].point, 0.5);
    vertices[p] = { point: at, tolerance: Math.max(vertices[p].tolerance, vertices[q].tolerance) + 0.6 * l };
    dropped.push({ at, length: l });
  });
  if (!gone.size) return { body: b, dropped };
  const edges = b.edges.map((e): Edge => ({ ...e, start: corner(e.start), end: corner(e.end) }));
  const faces = b.faces.map((f) => ({ ...f, loops: f.loops.map((l) => l.filter((u) => !gone.has(u.edge))) }));
  const body = { ...b, vertices, edges, faces };
  return { body: b.solids.length ? body : withShells(body), dropped };
}
function lengthOf(e: Edge): number {
  let sum = 0;
  let last = edgePoint(e, e.range[0]);
  for (let k = 1; k <= 8; k++) {
    const p = edgePoint(e, e.range[0] + ((e.range[1] - e.range[0]) * k) / 8);
    sum += distance(last, p);
    last = p;
  }
  return sum;
}
