import {
  clipCurve,
  curveOfFit,
  domainU,
  domainV,
  evaluateSurface,
  fitFunction,
  isoU,
  isoV,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  remapCurve,
  reverseCurve,
} from '../nurbs/index.ts';
import { type Body, type Edge, type EdgeUse, type Face, subBody, useUV, withShells } from './body.ts';
import { breaksAlong } from './refit.ts';

/** The borders of the face run along those of its surface all the way: nothing is trimmed away. */
export function isWholeFace(b: Body, face: number): boolean {
  const f = b.faces[face];
  const ends = [domainU(f.surface), domainV(f.surface)] as const;
  return (
    f.loops.length === 1 &&
    f.loops[0].every((use) => {
      const e = b.edges[use.edge];
      const uv = [0, 0.2, 0.5, 0.7, 1].map((k) => useUV(f, use, e.range[0] + k * (e.range[1] - e.range[0])));
      return ends.some(([a, z], d) => [a, z].some((x) => uv.every((p) => Math.abs(p[d] - x) < 1e-7 * (z - a))));
    })
  );
}

/**
 * The face with its trims on another surface over the same parameters: every edge becomes what its image is on the new surface, straight
 * lines of constant parameter exactly, the others within `tolerance` (mm). Neighbours are let go. `deviation`: the largest miss of an edge.
 */
export function faceOnSurface(b: Body, face: number, surface: NurbsSurface, tolerance = 1e-6): { body: Body; deviation: number } {
  const own = subBody(b, [face]);
  const f = own.faces[0];
  const jet = new Float64Array(12);
  let deviation = 0;
  const images = new Map<EdgeUse, EdgeUse>();
  const on = f.loops.flat();
  const edges = own.edges.map((e, i): Edge => {
    const uses = on.filter((u) => u.edge === i);
    const [a, z] = e.range;
    if (!uses.length) return e;
    const uv = (t: number, k = 0) => useUV(f, uses[k], t);
    const { curve: _curve, turn: _turn, record: _record, ...rest } = e;
    const evenly = (k: number) => [0, 0.2, 0.5, 0.7, 1].map((x) => uv(a + x * (z - a), k));
    const line = uses.every((_, k) => straight(evenly(k))) ? isoparm(surface, uv(a), uv(z), a, z) : undefined;
    const turned = f.turnU || f.turnV || uses.some((u) => u.pcurve.turn);
    if (line) {
      for (const [k, u] of uses.entries()) {
        const [p, q] = [uv(a, k), uv(z, k)];
        images.set(u, { ...u, pcurve: { curve: makeCurve(1, [[...p], [...q]], [a, a, z, z]) } });
      }
      return { ...rest, curve: line, tolerance: 1e-7 };
    }
    const dim = 3 + (turned ? 2 * uses.length : 0);
    const seeds = breaksAlong({ total: z - a, near: (s) => a + s }, (t) => [{ s: surface, uv: uv(t) }]).map((x) => ({ ...x, t: a + x.t }));
    const fit = fitFunction(
      (t, out) => {
        const p = uv(t);
        evaluateSurface(surface, p[0], p[1], 0, jet);
        out.set(jet.subarray(0, 3));
        if (turned) uses.forEach((_, k) => out.set(uv(t, k), 3 + 2 * k));
      },
      a,
      z,
      dim,
      5,
      tolerance,
      seeds,
      300,
    );
    deviation = Math.max(deviation, fit.deviation);
    if (turned) {
      const count = fit.data.length / dim;
      for (const [k, u] of uses.entries()) {
        const rows = Array.from({ length: count }, (_, r) => Array.from(fit.data.subarray(r * dim + 3 + 2 * k, r * dim + 5 + 2 * k)));
        images.set(u, { ...u, pcurve: { curve: makeCurve(5, rows, fit.knots) } });
      }
      const rows = Array.from({ length: count }, (_, r) => Array.from(fit.data.subarray(r * dim, r * dim + 3)));
      return { ...rest, curve: makeCurve(5, rows, fit.knots), tolerance: Math.max(1e-7, 2 * fit.deviation) };
    }
    return { ...rest, curve: curveOfFit(fit, 5), tolerance: Math.max(1e-7, 2 * fit.deviation) };
  });
  const vertices = own.vertices.map((v, i) => {
    const at = own.edges.findIndex((e) => e.start === i || e.end === i);
    if (at < 0) return v;
    return { ...v, point: pointAt(edges[at].curve, edges[at].range[own.edges[at].start === i ? 0 : 1]) };
  });
  const { turnU: _u, turnV: _v, record: _r, ...plain } = f;
  const made: Face = { ...plain, surface, loops: f.loops.map((l) => l.map((u) => images.get(u) ?? u)) };
  return { body: withShells({ ...own, vertices, edges, faces: [made] }), deviation };
}

type Place = readonly [number, number];
/** The five places lie evenly on a line along one of the parameters (at 0, 0.2, 0.5, 0.7, 1). */
const straight = (p: readonly Place[]) =>
  [0, 1].some((d) => p.every((x) => Math.abs(x[d] - p[0][d]) < 1e-12 * (1 + Math.abs(p[0][d])))) &&
  [0, 1].every((d) =>
    [0.2, 0.5, 0.7].every((k, i) => Math.abs(p[i + 1][d] - p[0][d] - k * (p[4][d] - p[0][d])) < 1e-12 * (1 + Math.abs(p[0][d]))),
  );

/** The line of constant parameter from `p` to `q` over [a, z]. */
function isoparm(s: NurbsSurface, p: Place, q: Place, a: number, z: number): NurbsCurve | undefined {
  const alongU = Math.abs(p[1] - q[1]) < Math.abs(p[0] - q[0]);
  const [from, to] = alongU ? [p[0], q[0]] : [p[1], q[1]];
  if (from === to) return undefined;
  const whole = alongU ? isoV(s, p[1]) : isoU(s, p[0]);
  const cut = clipCurve(whole, Math.min(from, to), Math.max(from, to));
  return remapCurve(from < to ? cut : reverseCurve(cut), a, z);
}
