import {
  type Body,
  connectedFaces,
  type Edge,
  type EdgeUse,
  edgePoint,
  subBody,
  topologyOf,
  usePoint,
  type Vertex,
  withShells,
} from '../brep/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import { fitFunction, makeCurve, type NurbsCurve } from '../nurbs/index.ts';

/**
 * Faces let go of each other at the given edges. Each side keeps its image of the edge and gets a curve that runs exactly there, so that what
 * was held together over a gap shows the gap.
 */
export function letGo(b: Body, at: ReadonlySet<number>): Body[] {
  const curves = new Set([...at].map((e) => b.edges[e].curve));
  return connectedFaces(b, at).map((g) => ownRims(subBody(b, g), curves));
}
/** Rims on the given curves run where their face has them. */
function ownRims(b: Body, curves: ReadonlySet<NurbsCurve>): Body {
  const { uses } = topologyOf(b);
  const edges: Edge[] = [...b.edges];
  const vertices: Vertex[] = [...b.vertices];
  b.edges.forEach((e, i) => {
    if (e.degenerate || uses[i].length !== 1 || !curves.has(e.curve)) return;
    const { face, use } = uses[i][0];
    const off = Math.max(...places(e).map((t) => distance(edgePoint(e, t), usePoint(b.faces[face], use, t))));
    if (off < 1e-9) return;
    const curve = imageInSpace(b, face, use, e);
    edges[i] = { ...e, curve, turn: undefined, record: undefined, tolerance: 1e-7 };
    for (const [v, t] of [
      [e.start, e.range[0]],
      [e.end, e.range[1]],
    ] as const)
      vertices[v] = { point: usePoint(b.faces[face], use, t), tolerance: 1e-6 };
  });
  return withShells({ ...b, edges, vertices });
}
const places = (e: Edge) => Array.from({ length: 9 }, (_, k) => e.range[0] + ((e.range[1] - e.range[0]) * k) / 8);
function imageInSpace(b: Body, face: number, use: EdgeUse, e: Edge): NurbsCurve {
  const f = b.faces[face];
  const fit = fitFunction((t, out) => out.set(usePoint(f, use, t)), e.range[0], e.range[1], 3, 5, 1e-7, [], 120);
  const points = Array.from({ length: fit.data.length / 3 }, (_, i): Vec3 => [fit.data[3 * i], fit.data[3 * i + 1], fit.data[3 * i + 2]]);
  return makeCurve(5, points, fit.knots);
}
