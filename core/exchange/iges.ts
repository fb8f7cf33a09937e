import {
  type Body,
  BodyBuilder,
  combineBodies,
  type EdgeUse,
  isWatertight,
  KernelError,
  type KernelService,
  loopArea,
  makeSolid,
  measuredTolerancesOf,
  orientConsistently,
  sewBodies,
  subBody,
  surfaceBody,
} from '../brep/index.ts';
import { type Affine, applyPoint, compose, cross, distance, dot, type Frame, frameFromNormal, IDENTITY, scaling, sub, unit, type Vec3, WORLD } from '../math/index.ts';
import {
  clipCurve,
  clipSurface,
  closestOnSurface,
  compatibleCurves,
  curveOfFit,
  domain,
  domainU,
  domainV,
  ellipseArc,
  endPoint,
  evaluateSurface,
  extrudedSurface,
  type FitSeed,
  fitFunction,
  isoU,
  isoV,
  knotRuns,
  lengthParameter,
  line2,
  lineCurve,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  polylineCurve,
  reverseCurve,
  revolvedSurface,
  ruledSurface,
  startPoint,
  surfacePoint,
  transformCurve,
  transformSurface,
} from '../nurbs/index.ts';
import { type IgesEntity, type IgesFile, readIgesText } from './iges-text.ts';
import type { StepPart } from './step.ts';

export interface IgesResult {
  readonly ok: true;
  readonly parts: readonly StepPart[];
  readonly curves: readonly { readonly name: string; readonly curves: readonly NurbsCurve[] }[];
  readonly points: readonly Vec3[];
  readonly unit: string;
  readonly faces: number;
  readonly notes: readonly string[];
}
export type ReadIges = IgesResult | { readonly ok: false; readonly message: string };

const CURVES = new Set([100, 102, 104, 106, 110, 112, 126]);
const COLOURS = ['', '#000000', '#ff0000', '#00ff00', '#0000ff', '#ffff00', '#ff00ff', '#00ffff', '#ffffff'];
const NAMES: Record<number, string> = {
  114: 'parametric spline surface',
  140: 'offset surface',
  180: 'solid tree',
  184: 'assembly',
  190: 'plane',
  192: 'cylinder',
  194: 'cone',
  196: 'sphere',
  198: 'torus',
  212: 'note',
  125: 'flash',
  134: 'node',
  136: 'element',
  150: 'block',
  158: 'sphere',
};

class Trouble extends Error {}

/** Everything an IGES file says, in its own units; entities are turned into curves and surfaces when they are asked for. */
class Reader {
  constructor(readonly file: IgesFile) {}

  get(id: number | string | undefined): IgesEntity {
    const e = this.file.entities.get(Math.abs(Number(id)));
    if (!e) throw new Trouble(`entity ${id} is not in the file`);
    return e;
  }
  private num(e: IgesEntity, i: number, fallback?: number): number {
    const v = e.params[i];
    if (typeof v === 'number' && Number.isFinite(v)) return v;
    if (fallback !== undefined && v === undefined) return fallback;
    throw new Trouble(`entity ${e.id} (type ${e.type}) lacks number ${i}`);
  }
  private point(e: IgesEntity, i: number): Vec3 {
    return [this.num(e, i), this.num(e, i + 1), this.num(e, i + 2)];
  }
  matrix(id: number, depth = 0): Affine {
    if (!id || depth > 16) return IDENTITY;
    const e = this.get(id);
    const r = (k: number): Vec3 => this.point(e, 1 + 4 * k);
    return compose(this.matrix(e.matrix, depth + 1), { m: [r(0), r(1), r(2)], t: [this.num(e, 4), this.num(e, 8), this.num(e, 12)] });
  }

  /** Curves of a curve entity, end to end. */
  curves(id: number | string | undefined, depth = 0): NurbsCurve[] {
    if (depth > 16) throw new Trouble(`entity ${id} refers to itself`);
    const e = this.get(id);
    const map = this.matrix(e.matrix);
    return this.plain(e, depth).map((c) => (map === IDENTITY ? c : transformCurve(c, map)));
  }
  private plain(e: IgesEntity, depth: number): NurbsCurve[] {
    switch (e.type) {
      case 100: {
        const z = this.num(e, 1);
        const c: Vec3 = [this.num(e, 2), this.num(e, 3), z];
        const [a, b]: Vec3[] = [
          [this.num(e, 4), this.num(e, 5), z],
          [this.num(e, 6), this.num(e, 7), z],
        ];
        const r = distance(c, a);
        const start = Math.atan2(a[1] - c[1], a[0] - c[0]);
        let turn = Math.atan2(b[1] - c[1], b[0] - c[0]) - start;
        if (turn < 1e-9) turn += 2 * Math.PI;
        if (!(r > 0)) throw new Trouble(`arc ${e.id} has no radius`);
        return [ellipseArc({ ...WORLD, origin: c }, r, r, start, start + turn)];
      }
      case 102:
        return Array.from({ length: this.num(e, 1) }, (_, i) => this.curves(e.params[2 + i], depth + 1)).flat();
      case 104:
        return [this.conic(e)];
      case 106: {
        const flat = this.num(e, 1) === 1;
        const n = this.num(e, 2);
        const size = this.num(e, 1) === 3 ? 6 : flat ? 2 : 3;
        const from = flat ? 4 : 3;
        const pts = Array.from({ length: n }, (_, i): Vec3 => (flat ? [this.num(e, from + size * i), this.num(e, from + size * i + 1), this.num(e, 3)] : this.point(e, from + size * i)));
        if (e.form === 63 && distance(pts[0], pts[n - 1]) > 1e-9) pts.push(pts[0]);
        return n > 1 ? [polylineCurve(pts)] : [];
      }
      case 110:
        return [lineCurve(this.point(e, 1), this.point(e, 4))];
      case 112: {
        const n = this.num(e, 4);
        const t = Array.from({ length: n + 1 }, (_, i) => this.num(e, 5 + i));
        return [
          ...Array.from({ length: n }, (_, s) => {
            const h = t[s + 1] - t[s];
            const at = (axis: number, k: number) => this.num(e, 6 + n + 12 * s + 4 * axis + k) * h ** k;
            const column = (k: number): Vec3 => [at(0, k), at(1, k), at(2, k)];
            const [a, b, c, d] = [0, 1, 2, 3].map(column);
            const mix = (...w: number[]): Vec3 => [0, 1, 2].map((i) => w[0] * a[i] + w[1] * b[i] + w[2] * c[i] + w[3] * d[i]) as unknown as Vec3;
            return makeCurve(3, [mix(1, 0, 0, 0), mix(1, 1 / 3, 0, 0), mix(1, 2 / 3, 1 / 3, 0), mix(1, 1, 1, 1)], [0, 0, 0, 0, 1, 1, 1, 1]);
          }),
        ];
      }
      case 126: {
        const [k, m] = [this.num(e, 1), this.num(e, 2)];
        const knots = Array.from({ length: k + m + 2 }, (_, i) => this.num(e, 7 + i));
        const o = 7 + k + m + 2;
        const weights = Array.from({ length: k + 1 }, (_, i) => this.num(e, o + i));
        const pts = Array.from({ length: k + 1 }, (_, i) => this.point(e, o + k + 1 + 3 * i));
        const even = weights.every((w) => Math.abs(w - weights[0]) < 1e-12 * Math.abs(weights[0]));
        const c = makeCurve(m, pts, knots, even ? undefined : weights);
        const [a, b] = [this.num(e, o + 4 * (k + 1), domain(c)[0]), this.num(e, o + 4 * (k + 1) + 1, domain(c)[1])];
        return [clipTo(c, a, b)];
      }
      default:
        throw new Trouble(`curves of type ${e.type} are not read`);
    }
  }
  /** A x² + B xy + C y² + D x + E y + F = 0 in the plane z, run the positive way from the first point to the second. */
  private conic(e: IgesEntity): NurbsCurve {
    const [A, B, C, D, E, F] = [1, 2, 3, 4, 5, 6].map((i) => this.num(e, i));
    const z = this.num(e, 7);
    const [p, q]: Vec3[] = [
      [this.num(e, 8), this.num(e, 9), z],
      [this.num(e, 10), this.num(e, 11), z],
    ];
    const disc = 4 * A * C - B * B;
    if (disc > 1e-12 * (A * A + B * B + C * C)) {
      // an ellipse: to its middle and its axes
      const centre: Vec3 = [(B * E - 2 * C * D) / disc, (B * D - 2 * A * E) / disc, z];
      const lean = 0.5 * Math.atan2(B, A - C);
      const [c, s] = [Math.cos(lean), Math.sin(lean)];
      const [l1, l2] = [A * c * c + B * c * s + C * s * s, A * s * s - B * c * s + C * c * c];
      const rest = -(A * centre[0] ** 2 + B * centre[0] * centre[1] + C * centre[1] ** 2 + D * centre[0] + E * centre[1] + F);
      const [rx, ry] = [Math.sqrt(rest / l1), Math.sqrt(rest / l2)];
      if (!(rx > 0) || !(ry > 0)) throw new Trouble(`ellipse ${e.id} is empty`);
      const frame: Frame = { origin: centre, x: [c, s, 0], y: [-s, c, 0], z: [0, 0, 1] };
      const angle = (v: Vec3) => Math.atan2(dot(sub(v, centre), frame.y) / ry, dot(sub(v, centre), frame.x) / rx);
      const start = angle(p);
      let turn = angle(q) - start;
      if (turn < 1e-9) turn += 2 * Math.PI;
      return ellipseArc(frame, rx, ry, start, start + turn);
    }
    // parabola or hyperbola: one rational span between its tangents
    const grad = (v: Vec3): [number, number] => [2 * A * v[0] + B * v[1] + D, B * v[0] + 2 * C * v[1] + E];
    const [g, h] = [grad(p), grad(q)];
    const det = g[0] * h[1] - g[1] * h[0];
    if (Math.abs(det) < 1e-14) throw new Trouble(`conic ${e.id} has parallel tangents at its ends`);
    const [gp, hq] = [g[0] * p[0] + g[1] * p[1], h[0] * q[0] + h[1] * q[1]];
    const top: Vec3 = [(gp * h[1] - g[1] * hq) / det, (g[0] * hq - gp * h[0]) / det, z];
    // along the line from the middle of the chord to the top, where the conic crosses
    const mid: Vec3 = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2, z];
    const value = (s: number) => {
      const [x, y] = [mid[0] + s * (top[0] - mid[0]), mid[1] + s * (top[1] - mid[1])];
      return A * x * x + B * x * y + C * y * y + D * x + E * y + F;
    };
    let [low, high] = [0, 1];
    const sign = Math.sign(value(0));
    for (let k = 0; k < 80; k++) {
      const m = (low + high) / 2;
      if (Math.sign(value(m)) === sign) low = m;
      else high = m;
    }
    const fullness = (low + high) / 2;
    return makeCurve(2, [p, top, q], [0, 0, 0, 1, 1, 1], [1, fullness / (1 - fullness), 1]);
  }

  surface(id: number | string | undefined): NurbsSurface {
    const e = this.get(id);
    const map = this.matrix(e.matrix);
    const s = this.plainSurface(e);
    return map === IDENTITY ? s : transformSurface(s, map);
  }
  private plainSurface(e: IgesEntity): NurbsSurface {
    const one = (id: number | string | undefined) => {
      const list = this.curves(id);
      if (list.length !== 1) throw new Trouble(`surface ${e.id} rests on a curve of ${list.length} pieces, which is not read`);
      return list[0];
    };
    switch (e.type) {
      case 128: {
        const [k1, k2, m1, m2] = [1, 2, 3, 4].map((i) => this.num(e, i));
        const [n1, n2] = [k1 + m1 + 2, k2 + m2 + 2];
        const knotsU = Float64Array.from({ length: n1 }, (_, i) => this.num(e, 10 + i));
        const knotsV = Float64Array.from({ length: n2 }, (_, i) => this.num(e, 10 + n1 + i));
        const [countU, countV] = [k1 + 1, k2 + 1];
        const w0 = 10 + n1 + n2;
        const p0 = w0 + countU * countV;
        const control = new Float64Array(4 * countU * countV);
        let rational = false;
        for (let j = 0; j < countV; j++)
          for (let i = 0; i < countU; i++) {
            const k = i + countU * j;
            const w = this.num(e, w0 + k);
            const p = this.point(e, p0 + 3 * k);
            if (Math.abs(w - this.num(e, w0)) > 1e-12 * Math.abs(w)) rational = true;
            control.set([w * p[0], w * p[1], w * p[2], w], 4 * (i * countV + j));
          }
        const s: NurbsSurface = { degreeU: m1, degreeV: m2, knotsU, knotsV, countU, countV, control, rational };
        const end = p0 + 3 * countU * countV;
        const [u0, u1, v0, v1] = [this.num(e, end, domainU(s)[0]), this.num(e, end + 1, domainU(s)[1]), this.num(e, end + 2, domainV(s)[0]), this.num(e, end + 3, domainV(s)[1])];
        const tight = (a: number, b: number, d: readonly [number, number]) => [Math.max(a, d[0]), Math.min(b, d[1])] as const;
        return clipSurface(s, ...tight(u0, u1, domainU(s)), ...tight(v0, v1, domainV(s)));
      }
      case 118: {
        const [a, b] = [one(e.params[1]), one(e.params[2])];
        const [p, q] = compatibleCurves([a, this.num(e, 3, 0) === 1 ? reverseCurve(b) : b]);
        return ruledSurface(p, q);
      }
      case 120: {
        const axis = one(e.params[1]);
        const [a, b] = [startPoint(axis), endPoint(axis)];
        return revolvedSurface(one(e.params[2]), a, sub(b, a), this.num(e, 3), this.num(e, 4));
      }
      case 122: {
        const c = one(e.params[1]);
        return extrudedSurface(c, sub(this.point(e, 2), startPoint(c)));
      }
      default:
        throw new Trouble(`surfaces of type ${e.type}${NAMES[e.type] ? ` (${NAMES[e.type]})` : ''} are not read`);
    }
  }
  /** The unbounded plane of entities 108 and 190. */
  plane(id: number | string | undefined): Frame | undefined {
    const e = this.get(id);
    const map = this.matrix(e.matrix);
    if (e.type === 108) {
      const n = this.point(e, 1);
      const d = this.num(e, 4);
      const l = dot(n, n);
      const at = applyPoint(map, [(n[0] * d) / l, (n[1] * d) / l, (n[2] * d) / l]);
      const tip = applyPoint(map, [(n[0] * d) / l + n[0], (n[1] * d) / l + n[1], (n[2] * d) / l + n[2]]);
      return frameFromNormal(at, sub(tip, at));
    }
    if (e.type === 190) {
      const at = this.point(this.get(e.params[1]), 1);
      const n = this.point(this.get(e.params[2]), 1);
      const o = applyPoint(map, at);
      return frameFromNormal(o, sub(applyPoint(map, [at[0] + n[0], at[1] + n[1], at[2] + n[2]]), o));
    }
    return undefined;
  }
  colour(e: IgesEntity): string | undefined {
    if (e.colour > 0) return COLOURS[e.colour];
    if (e.colour === 0) return undefined;
    const c = this.file.entities.get(-e.colour);
    if (c?.type !== 314) return undefined;
    return `#${[1, 2, 3]
      .map((i) =>
        Math.round(2.55 * Math.min(100, Math.max(0, Number(c.params[i]) || 0)))
          .toString(16)
          .padStart(2, '0'),
      )
      .join('')}`;
  }
}

const clipTo = (c: NurbsCurve, a: number, b: number): NurbsCurve => {
  const [s, t] = domain(c);
  const eps = 1e-9 * (t - s);
  const [from, to] = [Math.max(s, Math.min(a, b)), Math.min(t, Math.max(a, b))];
  const cut = from > s + eps || to < t - eps ? clipCurve(c, from, to) : c;
  return b < a ? reverseCurve(cut) : cut;
};

/** One run of a boundary: its image in the surface's parameters if the file gives it, and in space. */
interface Run {
  readonly uv?: NurbsCurve;
  readonly space?: NurbsCurve;
}
const TINY = 1e-9;
const jet = new Float64Array(12);

/** Builds one face in a builder of its own; lengths are in mm by now. */
function trimmed(s: NurbsSurface, loops: readonly (readonly Run[])[], name: string, tolerance: number, natural: boolean): Body {
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
    const e = run.uv ? edgeFromImage(k, s, run.uv, `${name}.e${i}`, tolerance) : run.space ? edgeFromSpace(k, s, run.space, `${name}.e${i}`, tolerance, last) : undefined;
    if (!e) return;
    out.push(e.use);
    last = e.end;
  });
  if (!out.length) throw new Trouble(`${name} has an empty boundary`);
  out.forEach((u, i) => {
    const next = out[(i + 1) % out.length];
    const end = u.reversed ? k.edges[u.edge].start : k.edges[u.edge].end;
    const start = next.reversed ? k.edges[next.edge].end : k.edges[next.edge].start;
    if (end !== start) {
      const gap = distance(k.vertices[end].point, k.vertices[start].point);
      throw new Trouble(`the boundary of ${name} is open by ${gap.toPrecision(3)} mm`);
    }
  });
  return out;
}

/** Edge of an image in the parameter plane: an iso line exactly, anything else fitted together with its image. */
function edgeFromImage(k: BodyBuilder, s: NurbsSurface, given: NurbsCurve, name: string, tolerance: number): { use: EdgeUse; end: readonly [number, number] } | undefined {
  const [t0, t1] = domain(given);
  const [ru, rv] = [domainU(s), domainV(s)];
  const inside = (p: readonly number[]): [number, number] => [Math.min(ru[1], Math.max(ru[0], p[0])), Math.min(rv[1], Math.max(rv[0], p[1]))];
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
  const seeds = values.slice(1, -1).map((t, i): FitSeed => ({ t, multiplicity: Math.min(5, Math.max(1, 5 - given.degree + multiplicities[i + 1])) }));
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
  if (far > Math.max(0.1, 100 * tolerance)) throw new Trouble(`the boundary of ${name} runs ${far.toPrecision(3)} mm off its surface`);
  const jump = feet.findIndex((f, i) => i > 0 && (Math.abs(f[0] - feet[i - 1][0]) > 0.5 * (ru[1] - ru[0]) || Math.abs(f[1] - feet[i - 1][1]) > 0.5 * (rv[1] - rv[0])));
  if (jump > 0) throw new Trouble(`the boundary of ${name} crosses the seam of its closed surface without saying where`);
  const at = (x: number): [number, number] => {
    const i = Math.min(n - 1, Math.max(0, Math.floor((x / by.total) * n)));
    const w = (x / by.total) * n - i;
    const p = pointAt(c, by.near(x));
    const f = closestOnSurface(s, p, [feet[i][0] + w * (feet[i + 1][0] - feet[i][0]), feet[i][1] + w * (feet[i + 1][1] - feet[i][1])]);
    return [f.u, f.v];
  };
  return { use: fitted(k, s, at, 0, by.total, name, tolerance, []), end: feet[n] };
}

function fitted(k: BodyBuilder, s: NurbsSurface, at: (t: number) => [number, number], t0: number, t1: number, name: string, tolerance: number, seeds: readonly FitSeed[]): EdgeUse {
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

/** Reads an IGES file: trimmed and bare surfaces are sewn to skins, closed ones to solids; free curves and points come too. Lengths arrive in mm. */
export async function readIges(data: Uint8Array, kernel: KernelService, name = 'Import', options?: { signal?: AbortSignal; limit?: number }): Promise<ReadIges> {
  const text = readIgesText(data);
  if (!text.ok) return text;
  const { file } = text;
  const r = new Reader(file);
  const mm = scaling([0, 0, 0], file.unit.mm);
  const notes: string[] = [];
  const left = new Map<number, number>();
  const tolerance = Math.min(0.02, Math.max(1e-4, file.resolution));
  const faces: Body[] = [];
  const curves: { name: string; curves: NurbsCurve[] }[] = [];
  const points: Vec3[] = [];
  let [hidden, lost] = [0, 0];
  let firstLost = '';
  const scaled = (c: NurbsCurve, map: Affine) => transformCurve(c, map);
  const runsOf = (curve: number | string | undefined, image: number | string | undefined, map: Affine): Run[] => {
    // the image is the better source: it lies on the surface by itself
    if (image) return r.curves(image).map((uv) => ({ uv: flat2(uv) }));
    return r.curves(curve).map((c) => ({ space: scaled(c, map) }));
  };
  const faceOf = (e: IgesEntity, place: Affine) => {
    const label = e.label ? `${e.label}${faces.length}` : `face${faces.length + 1}`;
    const map = compose(mm, compose(place, r.matrix(e.matrix)));
    const colour = r.colour(e);
    const keep = (b: Body) => faces.push({ ...b, faces: b.faces.map((f) => ({ ...f, colour })) });
    const flatFace = (frame: Frame, loops: NurbsCurve[][]) => {
      const k = new BodyBuilder(tolerance);
      const uses = loops.map((l) => l.map((c, i) => ({ edge: k.edge(c, `${label}.e${i}`), reversed: false })));
      k.flatFace(frame, uses, label);
      keep(measuredTolerancesOf(k.body()));
    };
    if (e.type === 144) {
      const inner = Array.from({ length: Number(e.params[3] ?? 0) }, (_, i) => e.params[5 + i]);
      const outer = Number(e.params[2] ?? 0) === 1 ? [e.params[4]] : [];
      const frame = r.plane(e.params[1]);
      const boundaries = [...outer, ...inner].map((id) => r.get(id));
      if (frame) {
        flatFace(
          frameUnder(frame, map),
          boundaries.map((c) => r.curves(c.params[4]).map((x) => scaled(x, map))),
        );
        return;
      }
      const exact = r.get(e.params[1]).type === 128;
      const s = transformSurface(r.surface(e.params[1]), map);
      keep(
        trimmed(
          s,
          boundaries.map((c) => runsOf(c.params[4], exact || !c.params[4] ? c.params[3] : undefined, map)),
          label,
          tolerance,
          !outer.length,
        ),
      );
    } else if (e.type === 143) {
      const loops = Array.from({ length: Number(e.params[3] ?? 0) }, (_, i) => {
        const b = r.get(e.params[4 + i]);
        let o = 5;
        return Array.from({ length: Number(b.params[4] ?? 0) }, () => {
          const [curve, sense, count] = [b.params[o], b.params[o + 1], Number(b.params[o + 2] ?? 0)];
          const images = Array.from({ length: count }, (_, j) => b.params[o + 3 + j]);
          o += 3 + count;
          const list = r.curves(curve).map((c) => scaled(c, map));
          return { images, list: Number(sense) === 2 ? list.reverse().map(reverseCurve) : list };
        });
      });
      const frame = r.plane(e.params[2]);
      if (frame) {
        flatFace(
          frameUnder(frame, map),
          loops.map((l) => l.flatMap((x) => x.list)),
        );
        return;
      }
      const s = transformSurface(r.surface(e.params[2]), map);
      const exact = r.get(e.params[2]).type === 128;
      keep(
        trimmed(
          s,
          loops.map((l) => l.flatMap((x): Run[] => (exact && x.images.length ? x.images.flatMap((i) => r.curves(i)).map((uv) => ({ uv: flat2(uv) })) : x.list.map((space) => ({ space }))))),
          label,
          tolerance,
          false,
        ),
      );
    } else if (e.type === 510) {
      const loops = Array.from({ length: Number(e.params[2] ?? 0) }, (_, i) => {
        const l = r.get(e.params[4 + i]);
        let o = 2;
        return Array.from({ length: Number(l.params[1] ?? 0) }, () => {
          const [type, list, index, sense, count] = [0, 1, 2, 3, 4].map((j) => Number(l.params[o + j]));
          o += 5 + 2 * count;
          if (type === 1) return [];
          const found = r.curves(r.get(list).params[2 + 5 * (index - 1)]).map((c) => scaled(c, map));
          return sense === 0 ? found.reverse().map(reverseCurve) : found;
        }).flat();
      });
      const frame = r.plane(e.params[1]);
      if (frame) flatFace(frameUnder(frame, map), loops);
      else
        keep(
          trimmed(
            transformSurface(r.surface(e.params[1]), map),
            loops.map((l) => l.map((space) => ({ space }))),
            label,
            tolerance,
            false,
          ),
        );
    } else {
      const s = transformSurface(r.surface(e.id), compose(mm, place));
      keep(surfaceBody(s, { prefix: label, face: (i, j, n, m) => (n * m > 1 ? `${label}.${i}.${j}` : label) }).body);
    }
  };
  const take = (e: IgesEntity, place: Affine, depth = 0): void => {
    try {
      if ([118, 120, 122, 128, 143, 144, 510].includes(e.type)) faceOf(e, place);
      else if (CURVES.has(e.type)) {
        const list = r.curves(e.id).map((c) => transformCurve(c, compose(mm, place)));
        if (list.length) curves.push({ name: e.label || `curve ${curves.length + 1}`, curves: list });
      } else if (e.type === 116) points.push(applyPoint(compose(mm, compose(place, r.matrix(e.matrix))), [Number(e.params[1]), Number(e.params[2]), Number(e.params[3])]));
      else if (e.type === 408 && depth < 16) {
        const d = r.get(e.params[1]);
        const k = Number(e.params[5] ?? 1) || 1;
        const at: Affine = compose(place, compose(r.matrix(e.matrix), { m: scaling([0, 0, 0], k).m, t: [Number(e.params[2] ?? 0), Number(e.params[3] ?? 0), Number(e.params[4] ?? 0)] }));
        for (let i = 0; i < Number(d.params[3] ?? 0); i++) take(r.get(d.params[4 + i]), at, depth + 1);
      } else if (![102, 108, 123, 124, 141, 142, 186, 190, 308, 314, 402, 404, 406, 410, 502, 504, 508, 514].includes(e.type)) left.set(e.type, (left.get(e.type) ?? 0) + 1);
    } catch (x) {
      if (!(x instanceof Trouble) && !(x instanceof RangeError) && !(x instanceof Error)) throw x;
      lost++;
      firstLost ||= (x as Error).message;
    }
  };
  for (const e of file.entities.values()) {
    if (e.use > 0 && e.use !== 2 && e.type !== 408) continue;
    if (e.blanked) hidden++;
    else if (e.subordinate === 0 || e.subordinate === 2 || e.type === 510) take(e, IDENTITY);
  }
  if (lost) notes.push(`${lost} ${lost === 1 ? 'entity' : 'entities'} could not be read and were left out; the first: ${firstLost}`);
  if (hidden) notes.push(`${hidden} hidden entities were left out`);
  for (const [type, n] of left) notes.push(`${n} of type ${type}${NAMES[type] ? ` (${NAMES[type]})` : ''} were passed over`);
  if (!faces.length && !curves.length && !points.length) return { ok: false, message: `The IGES file holds nothing that can be used${notes.length ? `: ${notes[0]}` : ''}` };
  const parts: StepPart[] = [];
  if (faces.length) {
    let sewn = combineBodies(faces);
    if (sewn.faces.length > 1)
      try {
        sewn = orientConsistently((await sewBodies(kernel, faces, tolerance, options)).body).body;
      } catch (e) {
        if (!(e instanceof KernelError) || e.kind !== 'refused') throw e;
        notes.push(`The faces could not be sewn (${e.message}): they are loose; knit them with a wider tolerance`);
      }
    sewn.shells.forEach((shell, i) => {
      const part = subBody(sewn, shell.faces);
      const solid = isWatertight(part) ? makeSolid(part) : undefined;
      if (solid && !solid.ok) notes.push(`Skin ${i + 1} closes, but makes no solid: ${solid.message}`);
      parts.push({ name: sewn.shells.length > 1 ? `${name} ${i + 1}` : name, body: solid?.ok ? solid.body : part });
    });
  }
  return { ok: true, parts, curves, points, unit: file.unit.name, faces: faces.reduce((n, b) => n + b.faces.length, 0), notes };
}

/** A curve of the parameter plane without its third number. */
const flat2 = (c: NurbsCurve): NurbsCurve => {
  if (c.dim === 2) return c;
  const n = c.control.length / 4;
  const control = new Float64Array(3 * n);
  for (let i = 0; i < n; i++) control.set([c.control[4 * i], c.control[4 * i + 1], c.control[4 * i + 3]], 3 * i);
  return { ...c, dim: 2, control };
};
const frameUnder = (f: Frame, map: Affine): Frame => {
  const o = applyPoint(map, f.origin);
  const to = (v: Vec3) => sub(applyPoint(map, [f.origin[0] + v[0], f.origin[1] + v[1], f.origin[2] + v[2]]), o);
  return frameFromNormal(o, cross(to(f.x), to(f.y)), unit(to(f.x)));
};
