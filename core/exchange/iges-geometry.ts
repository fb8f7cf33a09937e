import {
  type Affine,
  applyPoint,
  compose,
  distance,
  dot,
  type Frame,
  frameFromNormal,
  IDENTITY,
  signChange,
  sub,
  type Vec3,
  WORLD,
} from '../math/index.ts';
import {
  clipCurve,
  clipSurface,
  compatibleCurves,
  domain,
  domainU,
  domainV,
  ellipseArc,
  endPoint,
  extrudedSurface,
  lineCurve,
  MAX_DEGREE,
  makeCurve,
  type NurbsCurve,
  type NurbsSurface,
  polylineCurve,
  reverseCurve,
  revolvedSurface,
  ruledSurface,
  startPoint,
  transformCurve,
  transformSurface,
} from '../nurbs/index.ts';
import { Budget } from './budget.ts';
import type { IgesEntity, IgesFile } from './iges-text.ts';

const COLOURS = ['', '#000000', '#ff0000', '#00ff00', '#0000ff', '#ffff00', '#ff00ff', '#00ffff', '#ffffff'];
/** What people call entity types that are passed over. */
export const IGES_NAMES: Record<number, string> = {
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

/** Something the file says cannot be used; its message names the place. */
export class IgesTrouble extends Error {}

/** Everything an IGES file says, in its own units; entities are turned into curves and surfaces when they are asked for. */
export class IgesReader {
  private readonly under = new Set<number>();
  constructor(
    readonly file: IgesFile,
    readonly budget = new Budget(),
  ) {}

  get(id: number | string | undefined): IgesEntity {
    const e = this.file.entities.get(Math.abs(Number(id)));
    if (!e) throw new IgesTrouble(`entity ${id} is not in the file`);
    return e;
  }
  private num(e: IgesEntity, i: number, fallback?: number): number {
    const v = e.params[i];
    if (typeof v === 'number' && Number.isFinite(v) && Math.abs(v) < 1e50) return v;
    if (fallback !== undefined && v === undefined) return fallback;
    throw new IgesTrouble(`entity ${e.id} (type ${e.type}) lacks number ${i}`);
  }
  /** A number of things that follow in the entity: never more than it has numbers. */
  count(e: IgesEntity, i: number, fallback?: number): number {
    const n = this.num(e, i, fallback);
    if (!Number.isInteger(n) || n < 0 || n > e.params.length)
      throw new IgesTrouble(`entity ${e.id} (type ${e.type}) announces ${n} entries and has ${e.params.length} numbers`);
    return n;
  }
  private degree(e: IgesEntity, i: number): number {
    const d = this.count(e, i);
    if (d < 1 || d > MAX_DEGREE) throw new IgesTrouble(`entity ${e.id} has degree ${d}; at most ${MAX_DEGREE} can be used`);
    return d;
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
    const e = this.get(id);
    if (depth > 16 || this.under.has(e.id)) throw new IgesTrouble(`entity ${e.id} contains itself`);
    this.under.add(e.id);
    try {
      const map = this.matrix(e.matrix);
      const list = this.plain(e, depth);
      this.budget.take(1 + list.length, 'curves');
      return map === IDENTITY ? list : list.map((c) => transformCurve(c, map));
    } finally {
      this.under.delete(e.id);
    }
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
        if (!(r > 0)) throw new IgesTrouble(`arc ${e.id} has no radius`);
        return [ellipseArc({ ...WORLD, origin: c }, r, r, start, start + turn)];
      }
      case 102:
        return Array.from({ length: this.count(e, 1) }, (_, i) => this.curves(e.params[2 + i], depth + 1)).flat();
      case 104:
        return [this.conic(e)];
      case 106: {
        const flat = this.num(e, 1) === 1;
        const n = this.count(e, 2);
        const size = this.num(e, 1) === 3 ? 6 : flat ? 2 : 3;
        const from = flat ? 4 : 3;
        const pts = Array.from(
          { length: n },
          (_, i): Vec3 =>
            flat ? [this.num(e, from + size * i), this.num(e, from + size * i + 1), this.num(e, 3)] : this.point(e, from + size * i),
        );
        if (e.form === 63 && distance(pts[0], pts[n - 1]) > 1e-9) pts.push(pts[0]);
        return n > 1 ? [polylineCurve(pts)] : [];
      }
      case 110:
        return [lineCurve(this.point(e, 1), this.point(e, 4))];
      case 112: {
        const n = this.count(e, 4);
        const t = Array.from({ length: n + 1 }, (_, i) => this.num(e, 5 + i));
        return [
          ...Array.from({ length: n }, (_, s) => {
            const h = t[s + 1] - t[s];
            const at = (axis: number, k: number) => this.num(e, 6 + n + 12 * s + 4 * axis + k) * h ** k;
            const column = (k: number): Vec3 => [at(0, k), at(1, k), at(2, k)];
            const [a, b, c, d] = [0, 1, 2, 3].map(column);
            const mix = (...w: number[]): Vec3 =>
              [0, 1, 2].map((i) => w[0] * a[i] + w[1] * b[i] + w[2] * c[i] + w[3] * d[i]) as unknown as Vec3;
            return makeCurve(3, [mix(1, 0, 0, 0), mix(1, 1 / 3, 0, 0), mix(1, 2 / 3, 1 / 3, 0), mix(1, 1, 1, 1)], [0, 0, 0, 0, 1, 1, 1, 1]);
          }),
        ];
      }
      case 126: {
        const [k, m] = [this.count(e, 1), this.degree(e, 2)];
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
        throw new IgesTrouble(`curves of type ${e.type} are not read`);
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
      if (!(rx > 0) || !(ry > 0)) throw new IgesTrouble(`ellipse ${e.id} is empty`);
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
    if (Math.abs(det) < 1e-14) throw new IgesTrouble(`conic ${e.id} has parallel tangents at its ends`);
    const [gp, hq] = [g[0] * p[0] + g[1] * p[1], h[0] * q[0] + h[1] * q[1]];
    const top: Vec3 = [(gp * h[1] - g[1] * hq) / det, (g[0] * hq - gp * h[0]) / det, z];
    // along the line from the middle of the chord to the top, where the conic crosses
    const mid: Vec3 = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2, z];
    const value = (s: number) => {
      const [x, y] = [mid[0] + s * (top[0] - mid[0]), mid[1] + s * (top[1] - mid[1])];
      return A * x * x + B * x * y + C * y * y + D * x + E * y + F;
    };
    const fullness = signChange(value, 0, 1);
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
      if (list.length !== 1) throw new IgesTrouble(`surface ${e.id} rests on a curve of ${list.length} pieces, which is not read`);
      return list[0];
    };
    switch (e.type) {
      case 128: {
        const [k1, k2] = [this.count(e, 1), this.count(e, 2)];
        const [m1, m2] = [this.degree(e, 3), this.degree(e, 4)];
        this.budget.take((k1 + 1) * (k2 + 1), 'control points');
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
        const [u0, u1, v0, v1] = [
          this.num(e, end, domainU(s)[0]),
          this.num(e, end + 1, domainU(s)[1]),
          this.num(e, end + 2, domainV(s)[0]),
          this.num(e, end + 3, domainV(s)[1]),
        ];
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
        throw new IgesTrouble(`surfaces of type ${e.type}${IGES_NAMES[e.type] ? ` (${IGES_NAMES[e.type]})` : ''} are not read`);
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
  /** What the name property (406 form 15) behind an entity's own parameters says. */
  name(e: IgesEntity): string | undefined {
    const own = OWN_PARAMETERS[e.type]?.(e.params);
    if (own === undefined || !Number.isInteger(own) || own >= e.params.length) return undefined;
    const back = Number(e.params[own] ?? 0);
    const first = own + 1 + back;
    for (let k = 0; k < Math.min(64, Number(e.params[first] ?? 0)); k++) {
      const p = this.file.entities.get(Number(e.params[first + 1 + k]));
      const text = p?.type === 406 && p.form === 15 ? p.params[2] : undefined;
      if (typeof text === 'string' && text.trim()) return text.trim().slice(0, 120);
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

/** How many parameters are an entity's own; behind them stand associations and properties. */
const OWN_PARAMETERS: Readonly<Record<number, (p: readonly (number | string | undefined)[]) => number>> = {
  102: (p) => 2 + Number(p[1] ?? 0),
  110: () => 7,
  112: (p) => 5 + Number(p[4] ?? 0) + 1 + 13 * Number(p[4] ?? 0) + 12,
  126: (p) => {
    const [k, m] = [Number(p[1] ?? 0), Number(p[2] ?? 0)];
    // sums of the standard: knots -M to N+M with N = 1 + K - M, K + 1 weights, K + 1 points, two ends, a normal
    return 7 + (k + m + 2) + (k + 1) + 3 * (k + 1) + 2 + 3;
  },
  143: (p) => 4 + Number(p[3] ?? 0),
  144: (p) => 5 + Number(p[3] ?? 0),
  402: (p) => 2 + Number(p[1] ?? 0),
};

const clipTo = (c: NurbsCurve, a: number, b: number): NurbsCurve => {
  const [s, t] = domain(c);
  const eps = 1e-9 * (t - s);
  const [from, to] = [Math.max(s, Math.min(a, b)), Math.min(t, Math.max(a, b))];
  const cut = from > s + eps || to < t - eps ? clipCurve(c, from, to) : c;
  return b < a ? reverseCurve(cut) : cut;
};
