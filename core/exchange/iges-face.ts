import { type Body, BodyBuilder, type EdgeUse, loopArea, measuredTolerancesOf, surfaceBody } from '../brep/index.ts';
import { distance } from '../math/index.ts';
import {
  clipCurve,
  closestOnSurface,
  curveExtent,
  curveOfFit,
  domain,
  domainU,
  domainV,
  evaluateSurface,
  type FitSeed,
  fitFunction,
  isoU,
  isoV,
  knotRuns,
  lengthParameter,
  line2,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  surfacePoint,
} from '../nurbs/index.ts';
import { IgesTrouble } from './iges-geometry.ts';

/** One run of a boundary: its image in the surface's parameters if the file gives it, and in space. */
export interface Run {
  readonly uv?: NurbsCurve;
  readonly space?: NurbsCurve;
}
const TINY = 1e-9;
const jet = new Float64Array(12);

/** Builds one face in a builder of its own; lengths are in mm by now. */
export function trimmed(s: NurbsSurface, loops: readonly (readonly Run[])[], name: string, tolerance: number, natural: boolean): Body {
  const k = new BodyBuilder(tolerance);
  const rings = loops.map((l) => ringOf(k, s, l, name, tolerance));
  if (natural) {
    const whole = surfaceBody(s, { prefix: name, face: () => name }, k).body;
    if (whole.faces.length !== 1) return whole;
    k.faces.length = 0;
    rings.unshift(whole.faces[0].loops[0].slice());
  }
  const sized = rings.map((r) => ({ r, area: loopArea(r, k.edges) }));
  sized.sort((a, b) => Math.abs(b.area) - Math.abs(a.area));
  const turned = sized.map(({ r, area }, i) => (area > 0 === (i === 0) ? r : r.reverse().map((u) => ({ ...u, reversed: !u.reversed }))));
  k.face(s, turned, name);
  return measuredTolerancesOf(k.body());
}

function ringOf(k: BodyBuilder, s: NurbsSurface, runs: readonly Run[], name: string, tolerance: number): EdgeUse[] {
  const out: EdgeUse[] = [];
  let last: readonly [number, number] | undefined;
  runs.forEach((run, i) => {
    const e = run.uv
      ? edgeFromImage(k, s, run.uv, `${name}.e${i}`, tolerance)
      : run.space
        ? edgeFromSpace(k, s, run.space, `${name}.e${i}`, tolerance, last)
        : undefined;
    if (!e) return;
    out.push(e.use);
    last = e.end;
  });
  if (!out.length) throw new IgesTrouble(`${name} has an empty boundary`);
  out.forEach((u, i) => {
    const next = out[(i + 1) % out.length];
    const end = u.reversed ? k.edges[u.edge].start : k.edges[u.edge].end;
    const start = next.reversed ? k.edges[next.edge].end : k.edges[next.edge].start;
    if (end !== start) {
      const gap = distance(k.vertices[end].point, k.vertices[start].point);
      throw new IgesTrouble(`the boundary of ${name} is open by ${gap.toPrecision(3)} mm`);
    }
  });
  return out;
}

/** How far an image runs beyond the surface, in mm by the stretch of the surface there. */
function beyond(s: NurbsSurface, image: NurbsCurve): number {
  const { min, max } = curveExtent(image);
  const [ru, rv] = [domainU(s), domainV(s)];
  const over = [Math.max(0, ru[0] - min[0], max[0] - ru[1]), Math.max(0, rv[0] - min[1], max[1] - rv[1])];
  if (!over[0] && !over[1]) return 0;
  let most = 0;
  for (const u of [ru[0], (ru[0] + ru[1]) / 2, ru[1]])
    for (const v of [rv[0], (rv[0] + rv[1]) / 2, rv[1]]) {
      evaluateSurface(s, u, v, 1, jet);
      most = Math.max(most, over[0] * Math.hypot(jet[6], jet[7], jet[8]), over[1] * Math.hypot(jet[3], jet[4], jet[5]));
    }
  return most;
}

/** Edge of an image in the parameter plane: an iso line exactly, anything else fitted together with its image. */
function edgeFromImage(
  k: BodyBuilder,
  s: NurbsSurface,
  given: NurbsCurve,
  name: string,
  tolerance: number,
): { use: EdgeUse; end: readonly [number, number] } | undefined {
  const [t0, t1] = domain(given);
  const [ru, rv] = [domainU(s), domainV(s)];
  const inside = (p: readonly number[]): [number, number] => [
    Math.min(ru[1], Math.max(ru[0], p[0])),
    Math.min(rv[1], Math.max(rv[0], p[1])),
  ];
  const off = beyond(s, given);
  if (off > 10 * tolerance) throw new IgesTrouble(`the boundary of ${name} runs ${off.toPrecision(3)} mm beyond the end of its surface`);
  const at = (t: number) => inside(pointAt(given, t));
  const [a, b] = [at(t0), at(t1)];
  const probes = Array.from({ length: 17 }, (_, i) => at(t0 + ((t1 - t0) * i) / 16));
  for (const d of [0, 1] as const) {
    const range = d === 0 ? ru : rv;
    const other = (1 - d) as 0 | 1;
    if (probes.some((p) => Math.abs(p[d] - a[d]) > 1e-9 * (range[1] - range[0]))) continue;
    const [from, to] = [Math.min(a[other], b[other]), Math.max(a[other], b[other])];
    if (to - from < TINY * (ru[1] - ru[0] + rv[1] - rv[0])) return undefined;
    const curve = clipCurve(d === 0 ? isoU(s, a[0]) : isoV(s, a[1]), from, to);
    const edge = k.edge(curve, name);
    const corner = (x: number): [number, number] => (d === 0 ? [a[0], x] : [x, a[1]]);
    return { use: { edge, reversed: b[other] < a[other], pcurve: { curve: line2(corner(from), corner(to), from, to) } }, end: b };
  }
  const { values, multiplicities } = knotRuns(given.knots, given.degree);
  const seeds = values
    .slice(1, -1)
    .map((t, i): FitSeed => ({ t, multiplicity: Math.min(5, Math.max(1, 5 - given.degree + multiplicities[i + 1])) }));
  return { use: fitted(k, s, at, t0, t1, name, tolerance, seeds), end: b };
}

/** Edge of a curve in space: its feet on the surface, followed from one to the next. */
function edgeFromSpace(
  k: BodyBuilder,
  s: NurbsSurface,
  c: NurbsCurve,
  name: string,
  tolerance: number,
  start: readonly [number, number] | undefined,
): { use: EdgeUse; end: readonly [number, number] } {
  const by = lengthParameter(c);
  const [ru, rv] = [domainU(s), domainV(s)];
  const n = 64;
  const feet: [number, number][] = [];
  let far = 0;
  for (let i = 0; i <= n; i++) {
    const p = pointAt(c, by.near((by.total * i) / n));
    const seed = feet[i - 1] ?? (start && distance(surfacePoint(s, ...start), p) < 10 * tolerance ? start : undefined);
    let f = seed ? closestOnSurface(s, p, seed) : closestOnSurface(s, p);
    if (f.distance > 10 * tolerance) f = closestOnSurface(s, p);
    far = Math.max(far, f.distance);
    feet.push([f.u, f.v]);
  }
  if (far > Math.max(0.1, 100 * tolerance)) throw new IgesTrouble(`the boundary of ${name} runs ${far.toPrecision(3)} mm off its surface`);
  const jump = feet.findIndex(
    (f, i) => i > 0 && (Math.abs(f[0] - feet[i - 1][0]) > 0.5 * (ru[1] - ru[0]) || Math.abs(f[1] - feet[i - 1][1]) > 0.5 * (rv[1] - rv[0])),
  );
  if (jump > 0) throw new IgesTrouble(`the boundary of ${name} crosses the seam of its closed surface without saying where`);
  const at = (x: number): [number, number] => {
    const i = Math.min(n - 1, Math.max(0, Math.floor((x / by.total) * n)));
    const w = (x / by.total) * n - i;
    const p = pointAt(c, by.near(x));
    const f = closestOnSurface(s, p, [feet[i][0] + w * (feet[i + 1][0] - feet[i][0]), feet[i][1] + w * (feet[i + 1][1] - feet[i][1])]);
    return [f.u, f.v];
  };
  return { use: fitted(k, s, at, 0, by.total, name, tolerance, []), end: feet[n] };
}

function fitted(
  k: BodyBuilder,
  s: NurbsSurface,
  at: (t: number) => [number, number],
  t0: number,
  t1: number,
  name: string,
  tolerance: number,
  seeds: readonly FitSeed[],
): EdgeUse {
  const [mu, mv] = at((t0 + t1) / 2);
  evaluateSurface(s, mu, mv, 1, jet);
  // parameters are weighed by the stretch of the surface, so that one tolerance in mm serves all
  const [su, sv] = [Math.hypot(jet[6], jet[7], jet[8]) || 1, Math.hypot(jet[3], jet[4], jet[5]) || 1];
  const fit = fitFunction(
    (t, out) => {
      const [u, v] = at(t);
      evaluateSurface(s, u, v, 0, jet);
      out[0] = jet[0];
      out[1] = jet[1];
      out[2] = jet[2];
      out[3] = su * u;
      out[4] = sv * v;
    },
    t0,
    t1,
    5,
    5,
    0.01 * tolerance,
    seeds,
    200,
  );
  const rows = Array.from({ length: fit.data.length / 5 }, (_, r) => fit.data.subarray(5 * r, 5 * r + 5));
  const edge = k.edge(curveOfFit({ knots: fit.knots, data: Float64Array.from(rows.flatMap((r) => [r[0], r[1], r[2]])) }, 5), name);
  return {
    edge,
    reversed: false,
    pcurve: {
      curve: makeCurve(
        5,
        rows.map((r) => [r[3] / su, r[4] / sv]),
        fit.knots,
      ),
    },
  };
}
