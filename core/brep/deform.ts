import { distance, type Vec3 } from '../math/index.ts';
import { curveOfFit, evaluateGrid, fitFunction, fitSurface, knotRuns, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { type Body, type Edge, edgePoint, type Face, usedRange, usePoint } from './body.ts';

export type SpaceMap = (p: Vec3) => Vec3;
/** A curve under a map of space, fitted over its own parameters; `deviation` in mm, at places that were not fitted. */
export function deformCurve(c: NurbsCurve, map: SpaceMap, tolerance: number): { curve: NurbsCurve; deviation: number } {
  const runs = knotRuns(c.knots, c.degree);
  const degree = Math.max(5, c.degree);
  const [a, b] = [runs.values[0], runs.values[runs.values.length - 1]];
  const fit = fitFunction(
    (t, out) => out.set(map(pointAt(c, t))),
    a,
    b,
    3,
    degree,
    tolerance,
    runs.values.slice(1, -1).map((t, i) => ({ t, multiplicity: Math.min(degree, degree - c.degree + runs.multiplicities[i + 1]) })),
  );
  return { curve: curveOfFit(fit, degree), deviation: fit.deviation };
}

/**
 * A body under a map of space: every surface and edge is fitted anew over its own parameters, so that trims, charts and names stay.
 * `deviation` is the largest miss of a surface or an edge (mm), measured where nothing was fitted; `beside` how far an edge lies beside a face.
 */
export function deformBody(b: Body, map: SpaceMap, tolerance: number): { body: Body; deviation: number; beside: number } {
  let deviation = 0;
  const edges = b.edges.map((e): Edge => {
    const { record: _record, ...rest } = e;
    if (e.degenerate) {
      const p = map(edgePoint(e, e.range[0]));
      const control = new Float64Array(e.curve.control);
      for (let i = 0; i < control.length; i += 4) for (let k = 0; k < 3; k++) control[i + k] = p[k] * control[i + 3];
      return { ...rest, curve: { ...e.curve, control } };
    }
    const r = deformCurve(e.curve, map, tolerance);
    deviation = Math.max(deviation, r.deviation);
    return { ...rest, curve: r.curve };
  });
  const faces = b.faces.map((f): Face => {
    const { record: _record, ...rest } = f;
    const s = f.surface;
    // only where it is used: a plane may reach far beyond its trims
    const [u0, u1] = [s.knotsU[s.degreeU], s.knotsU[s.countU]];
    const [v0, v1] = [s.knotsV[s.degreeV], s.knotsV[s.countV]];
    const used = usedRange(f, b);
    const [mu, mv] = [0.02 * (used[1] - used[0]), 0.02 * (used[3] - used[2])];
    const range = [Math.max(u0, used[0] - mu), Math.min(u1, used[1] + mu), Math.max(v0, used[2] - mv), Math.min(v1, used[3] + mv)] as const;
    const degree = Math.max(5, Math.min(7, Math.max(s.degreeU, s.degreeV)));
    const fit = fitSurface(
      (us, vs) => {
        const { positions } = evaluateGrid(s, us, vs);
        const out = new Float64Array(positions.length);
        for (let i = 0; i < positions.length; i += 3) out.set(map([positions[i], positions[i + 1], positions[i + 2]]), i);
        return out;
      },
      range,
      s,
      tolerance,
      degree,
      96,
    );
    deviation = Math.max(deviation, fit.deviation);
    return { ...rest, surface: fit.surface };
  });
  // edges say how far they lie beside their faces now
  const off = new Float64Array(edges.length);
  faces.forEach((f) => {
    for (const u of f.loops.flat()) {
      const e = edges[u.edge];
      if (e.degenerate) continue;
      for (let k = 0; k <= 16; k++) {
        const t = e.range[0] + ((e.range[1] - e.range[0]) * (k + (k && k < 16 ? 0.31 : 0))) / 16;
        off[u.edge] = Math.max(off[u.edge], distance(edgePoint(e, Math.min(t, e.range[1])), usePoint(f, u, Math.min(t, e.range[1]))));
      }
    }
  });
  const settled = edges.map((e, i) => ({ ...e, tolerance: Math.max(1e-7, 1.5 * off[i]) }));
  const vertices = b.vertices.map((v) => ({ point: map(v.point), tolerance: v.tolerance }));
  settled.forEach((e) => {
    for (const [v, t] of [
      [e.start, e.range[0]],
      [e.end, e.range[1]],
    ] as const)
      vertices[v] = { ...vertices[v], tolerance: Math.max(vertices[v].tolerance, 1.1 * distance(vertices[v].point, edgePoint(e, t))) };
  });
  return { body: { ...b, vertices, edges: settled, faces }, deviation, beside: off.reduce((m, x) => Math.max(m, x), 0) };
}
