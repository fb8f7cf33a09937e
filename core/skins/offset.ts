import { type Body, type Edge, type Face, faceNormal, measuredTolerancesOf, subBody, transformRecord, usePoint } from '../brep/index.ts';
import { distance, dot, scale, translation, type Vec3 } from '../math/index.ts';
import {
  domainU,
  domainV,
  evaluateGrid,
  fitFunction,
  fitSurface,
  isClosedU,
  isClosedV,
  knotRuns,
  makeCurve,
  type NurbsSurface,
  surfaceNormal,
} from '../nurbs/index.ts';

export interface OffsetSurface {
  readonly surface: NurbsSurface;
  /** Largest distance from the true offset, at points that were not fitted (mm). */
  readonly deviation: number;
}

/** Surface at distance d along its normals (against them when negative), on the same parameters. Flat ones stay exact. */
export function offsetSurface(s: NurbsSurface, d: number, tolerance: number): OffsetSurface {
  const flat = flatNormal(s);
  if (flat) {
    const control = new Float64Array(s.control);
    for (let i = 0; i < control.length; i += 4) for (let k = 0; k < 3; k++) control[i + k] += d * flat[k] * control[i + 3];
    return { surface: { ...s, control }, deviation: 0 };
  }
  const [u0, u1] = domainU(s);
  const [v0, v1] = domainV(s);
  const fit = fitSurface(
    (us, vs) => offsetGrid(s, d, us, vs),
    [u0, u1, v0, v1],
    s,
    tolerance,
    Math.max(5, Math.min(7, Math.max(s.degreeU, s.degreeV))),
    96,
  );
  const control = new Float64Array(fit.surface.control);
  const { countU, countV } = fit.surface;
  // closed directions stay closed to the last digit; a crease along the seam tears the offset, and closing it then counts as deviation
  let torn = 0;
  const close = (to: number, from: number) => {
    torn = Math.max(torn, Math.hypot(...[0, 1, 2].map((k) => control[to + k] - control[from + k])));
    control.copyWithin(to, from, from + 4);
  };
  if (isClosedU(s, 1e-7)) for (let j = 0; j < countV; j++) close(((countU - 1) * countV + j) * 4, j * 4);
  if (isClosedV(s, 1e-7)) for (let i = 0; i < countU; i++) close((i * countV + countV - 1) * 4, i * countV * 4);
  return { surface: { ...fit.surface, control }, deviation: Math.max(fit.deviation, torn) };
}

/** Points at distance d along the normals over a grid. */
function offsetGrid(s: NurbsSurface, d: number, us: ArrayLike<number>, vs: ArrayLike<number>): Float64Array {
  const { positions, normals } = evaluateGrid(s, us, vs);
  for (let i = 0; i < us.length; i++)
    for (let j = 0; j < vs.length; j++) {
      const o = (i * vs.length + j) * 3;
      const l = Math.hypot(normals[o], normals[o + 1], normals[o + 2]);
      // in a pole the grid has no normal
      const n = l > 0.5 ? [normals[o], normals[o + 1], normals[o + 2]] : surfaceNormal(s, us[i], vs[j]);
      for (let k = 0; k < 3; k++) positions[o + k] += d * n[k];
    }
  return positions;
}

function flatNormal(s: NurbsSurface): Vec3 | undefined {
  const [u0, u1] = domainU(s);
  const [v0, v1] = domainV(s);
  const n = surfaceNormal(s, (u0 + u1) / 2, (v0 + v1) / 2);
  const c = s.control;
  const p: Vec3 = [c[0] / c[3], c[1] / c[3], c[2] / c[3]];
  for (let i = 0; i < c.length; i += 4)
    if (
      Math.abs(dot([c[i] / c[i + 3] - p[0], c[i + 1] / c[i + 3] - p[1], c[i + 2] / c[i + 3] - p[2]], n)) >
      1e-10 * (1 + distance(p, [0, 0, 0]))
    )
      return undefined;
  return n;
}

/** Chosen faces of a body moved by `d` along their outward normals, with the same trims; edges that two of them share stay shared. */
export function offsetFaces(b: Body, faces: readonly number[], d: number, tolerance: number): { body: Body; deviation: number } {
  const part = subBody(b, faces);
  let deviation = 0;
  const moved = part.faces.map((f): Face => {
    const o = offsetSurface(f.surface, f.reversed ? -d : d, tolerance);
    deviation = Math.max(deviation, o.deviation);
    const record =
      f.record?.type === 1
        ? transformRecord(f.record, translation(scale(faceNormal(f, domainU(f.surface)[0], domainV(f.surface)[0]), d)), false)
        : undefined;
    return { ...f, surface: o.surface, record, name: `${f.name}.inner` };
  });
  const edges = part.edges.map((e, i): Edge => {
    const uses = moved.flatMap((f) => f.loops.flatMap((l) => l.filter((u) => u.edge === i).map((use) => ({ f, use }))));
    const point = (t: number): Vec3 => {
      const sum = uses.reduce<Vec3>((s, { f, use }) => add3(s, usePoint(f, use, t)), [0, 0, 0]);
      return scale(sum, 1 / uses.length);
    };
    const [a, z] = e.range;
    if (e.degenerate) {
      const p = point((a + z) / 2);
      return { ...e, curve: makeCurve(1, [p, p], [a, a, z, z]), turn: undefined, record: undefined };
    }
    const runs = e.turn ? [] : knotRuns(e.curve.knots, e.curve.degree).values.slice(1, -1);
    const fit = fitFunction(
      (t, out) => out.set(point(t)),
      a,
      z,
      3,
      5,
      tolerance,
      runs.filter((t) => t > a && t < z).map((t) => ({ t, multiplicity: 3 })),
    );
    const rows = Array.from({ length: fit.data.length / 3 }, (_, r) => Array.from(fit.data.subarray(3 * r, 3 * r + 3)));
    const spread = uses.reduce(
      (m, { f, use }) =>
        Math.max(m, ...[0.1, 0.3, 0.5, 0.7, 0.9].map((k) => distance(usePoint(f, use, a + k * (z - a)), point(a + k * (z - a))))),
      0,
    );
    return {
      ...e,
      curve: makeCurve(5, rows, fit.knots),
      turn: undefined,
      record: undefined,
      tolerance: Math.max(e.tolerance, 1.1 * (fit.deviation + spread)),
    };
  });
  const vertices = part.vertices.map((v, i) => {
    const at = edges.flatMap((e) => [...(e.start === i ? [curveEnd(e, 0)] : []), ...(e.end === i ? [curveEnd(e, 1)] : [])]);
    const point = at.length ? scale(at.reduce(add3, [0, 0, 0] as Vec3), 1 / at.length) : v.point;
    return { point, tolerance: Math.max(v.tolerance, ...at.map((p) => 1.1 * distance(p, point))) };
  });
  // edges end exactly in their vertices: a file knows no tolerance, and gaps there come back as edges of no length
  const met = edges.map((e): Edge => {
    if (e.degenerate) return e;
    const control = Float64Array.from(e.curve.control);
    const put = (o: number, p: Vec3) => p.forEach((x, k) => (control[o + k] = x * control[o + 3]));
    put(0, vertices[e.start].point);
    put(control.length - 4, vertices[e.end].point);
    return { ...e, curve: { ...e.curve, control } };
  });
  // pcurves with turn maps of their own keep the edge's parameter: images are evaluated through the use, so nothing else changes
  return { body: measuredTolerancesOf({ ...part, vertices, edges: met, faces: moved, solids: [] }), deviation };
}
const add3 = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
function curveEnd(e: Edge, side: 0 | 1): Vec3 {
  const c = e.curve;
  const i = side ? c.control.length - 4 : 0;
  return [c.control[i] / c.control[i + 3], c.control[i + 1] / c.control[i + 3], c.control[i + 2] / c.control[i + 3]];
}
