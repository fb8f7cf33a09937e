import { type Body, type Edge, type EdgeUse, edgePoint, type Face } from './body.ts';

/** A body with edges parted at parameters: every face that uses one goes on over its parts. `parts` gives the new edges of each old one. */
export function partEdges(b: Body, at: ReadonlyMap<number, readonly number[]>): { body: Body; parts: number[][] } {
  const vertices = [...b.vertices];
  const edges: Edge[] = [];
  const parts = b.edges.map((e, i): number[] => {
    const [a, z] = e.range;
    const inner = [...(at.get(i) ?? [])].filter((t) => t > a + 1e-9 * (z - a) && t < z - 1e-9 * (z - a)).sort((x, y) => x - y);
    const ts = [a, ...inner, z];
    const ends = [
      e.start,
      ...inner.map((t) => vertices.push({ point: edgePoint(e, t), tolerance: Math.max(1e-7, e.tolerance) }) - 1),
      e.end,
    ];
    return ts.slice(1).map((t, k) => edges.push({ ...e, range: [ts[k], t], start: ends[k], end: ends[k + 1] }) - 1);
  });
  const faces = b.faces.map(
    (f): Face => ({
      ...f,
      loops: f.loops.map((l) =>
        l.flatMap((u): EdgeUse[] => (u.reversed ? [...parts[u.edge]].reverse() : parts[u.edge]).map((edge) => ({ ...u, edge }))),
      ),
    }),
  );
  return { body: { ...b, vertices, edges, faces }, parts };
}
