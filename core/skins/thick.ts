import {
  type Body,
  BodyBuilder,
  type EdgeUse,
  edgePoint,
  faceNormal,
  measuredTolerancesOf,
  subBody,
  type Trace,
  topologyOf,
  traceBreaks,
  useUV,
  withShells,
} from '../brep/index.ts';
import { angleBetween, DEG } from '../math/index.ts';
import { fitFunction, line2, lineCurve, type NurbsSurface } from '../nurbs/index.ts';
import { offsetFaces } from './offset.ts';

/** Do neighbouring faces run on into each other everywhere (kinks below `degrees`)? */
export function isSmooth(b: Body, degrees = 0.5): boolean {
  const { seams, uses } = topologyOf(b);
  return seams.every((i) => {
    const e = b.edges[i];
    return [0.07, 0.31, 0.5, 0.74, 0.95].every((k) => {
      const t = e.range[0] + (e.range[1] - e.range[0]) * k;
      const [n, m] = uses[i].map((r) => faceNormal(b.faces[r.face], ...useUV(b.faces[r.face], r.use, t)));
      return angleBetween(n, m) / DEG < degrees;
    });
  });
}
/**
 * Closed wall between a smooth open skin and its own offset by `d` along the outside normals (against them when negative): the skin, the
 * offset turned over, and straight strips along the rims, all sharing their edges. `deviation` is that of the offset from the true distance.
 */
export function thickSkin(skin: Body, d: number, tolerance: number): { body: Body; deviation: number } {
  const all = (b: Body) => b.faces.map((_, i) => i);
  const base = subBody(skin, all(skin));
  const moved = offsetFaces(base, all(base), d, tolerance);
  const far = moved.body;
  const k = new BodyBuilder(1e-9);
  k.vertices.push(...base.vertices, ...far.vertices);
  const [v, e] = [base.vertices.length, base.edges.length];
  k.edges.push(...base.edges, ...far.edges.map((x) => ({ ...x, start: x.start + v, end: x.end + v, name: `${x.name}.inner` })));
  k.faces.push(
    ...base.faces,
    ...far.faces.map((f) => ({ ...f, reversed: !f.reversed, loops: f.loops.map((l) => l.map((u) => ({ ...u, edge: u.edge + e }))) })),
  );
  // one straight edge from each rim vertex to its image
  const upright = new Map<number, number>();
  const uprightAt = (i: number): number => {
    let x = upright.get(i);
    if (x === undefined) {
      const curve = lineCurve(base.vertices[i].point, far.vertices[i].point);
      x = k.edges.push({ curve, range: [0, 1], start: i, end: i + v, tolerance: 1e-7, name: `wall.upright.${upright.size}` }) - 1;
      upright.set(i, x);
    }
    return x;
  };
  const straight = (a: readonly [number, number], b: readonly [number, number], t0: number, t1: number): Trace => ({
    curve: line2(a, b, t0, t1),
  });
  for (const [n, i] of topologyOf(base).rims.entries()) {
    const x = base.edges[i];
    const [a, b] = x.range;
    const breaks = traceBreaks(x, a, b).slice(1, -1);
    const fit = fitFunction(
      (t, out) => {
        out.set(edgePoint(x, t));
        out.set(edgePoint(far.edges[i], t), 3);
      },
      a,
      b,
      6,
      5,
      0.01 * tolerance,
      breaks.map((t) => ({ t, multiplicity: 4 })),
      200,
    );
    const count = fit.data.length / 6;
    const control = new Float64Array(8 * count);
    for (let r = 0; r < count; r++) {
      for (let c = 0; c < 3; c++) {
        control[8 * r + c] = fit.data[6 * r + c];
        control[8 * r + 4 + c] = fit.data[6 * r + 3 + c];
      }
      control[8 * r + 3] = control[8 * r + 7] = 1;
    }
    const s: NurbsSurface = {
      degreeU: 5,
      degreeV: 1,
      knotsU: fit.knots,
      knotsV: Float64Array.of(0, 0, 1, 1),
      countU: count,
      countV: 2,
      control,
      rational: false,
    };
    const loop: EdgeUse[] = [
      { edge: i, reversed: false, pcurve: straight([a, 0], [b, 0], a, b) },
      { edge: uprightAt(x.end), reversed: false, pcurve: straight([b, 0], [b, 1], 0, 1) },
      { edge: i + e, reversed: true, pcurve: straight([a, 1], [b, 1], a, b) },
      { edge: uprightAt(x.start), reversed: true, pcurve: straight([a, 0], [a, 1], 0, 1) },
    ];
    k.face(s, [loop], `wall:rim${n ? `.${n}` : ''}`);
  }
  const body = withShells({ vertices: k.vertices, edges: k.edges, faces: k.faces, shells: [], solids: [] });
  return { body: measuredTolerancesOf(body), deviation: moved.deviation };
}
