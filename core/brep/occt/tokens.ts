import { type Affine, applyPoint, compose, determinant, IDENTITY, type Vec3 } from '../../math/index.ts';
import type { PeriodicSpline, RawCurve, RawSurface } from './geometry.ts';

export interface Ref {
  readonly shape: number;
  readonly reversed: boolean;
  readonly location: number;
}
export interface PcurveRep {
  readonly forward: number;
  readonly back: number;
  readonly surface: number;
  readonly location: number;
  readonly range: readonly [number, number];
}
export interface RawShape {
  readonly kind: string;
  readonly children: Ref[];
  readonly tolerance: number;
  readonly point?: Vec3;
  readonly curve?: { curve: number; location: number; range: readonly [number, number] };
  readonly pcurves?: PcurveRep[];
  readonly degenerate?: boolean;
  readonly surface?: number;
  readonly location?: number;
}

/** Everything a shape text holds, as it stands there: shapes refer to each other and to curves by index. */
export interface RawText {
  readonly shapes: readonly RawShape[];
  readonly root: Ref;
  readonly locations: readonly Affine[];
  readonly curves2: readonly RawCurve[];
  readonly curves: readonly RawCurve[];
  readonly surfaces: readonly RawSurface[];
}

/** The words of a text one after another; what is missing or no number is told with its place. */
class Words {
  private readonly token: readonly string[];
  private at = 0;
  constructor(text: string) {
    this.token = text.split(/\s+/);
  }
  next(): string {
    if (this.at >= this.token.length) throw new Error('shape text ends too early');
    return this.token[this.at++];
  }
  /** The next word, left where it is. */
  get ahead(): string | undefined {
    return this.token[this.at];
  }
  real(): number {
    const x = Number(this.next());
    if (Number.isNaN(x)) throw new Error(`shape text: "${this.token[this.at - 1]}" is not a number (word ${this.at})`);
    return x;
  }
  reals(n: number): number[] {
    return Array.from({ length: n }, () => this.real());
  }
  /** Goes on behind the word that begins a section; gives how many entries it has. */
  seek(word: string): number {
    while (this.at < this.token.length && this.token[this.at] !== word) this.at++;
    if (this.at >= this.token.length) throw new Error(`shape text has no section ${word}`);
    this.at++;
    return this.real();
  }
}

/** Takes the kernel's text format apart (topology versions 1-3). Throws with the place when the text is broken. */
export function takeApart(text: string): RawText {
  const w = new Words(text);
  const version = Number(/Topology V(\d)/.exec(text)?.[1] ?? 1);
  const locations = locationsOf(w);
  const curves2 = Array.from({ length: w.seek('Curve2ds') }, () => curveOf(w, 2));
  const curves = Array.from({ length: w.seek('Curves') }, () => curveOf(w, 3));
  const surfaces = Array.from({ length: w.seek('Surfaces') }, () => surfaceOf(w));
  const count = w.seek('TShapes');
  const shapes: RawShape[] = [];
  for (let i = 0; i < count; i++) {
    const kind = w.next();
    const start: Omit<RawShape, 'children'> =
      kind === 'Ve' ? vertexOf(w) : kind === 'Ed' ? edgeOf(w, version) : kind === 'Fa' ? faceOf(w) : { kind, tolerance: 0 };
    w.next();
    shapes.push({ ...start, children: refsOf(w, count) });
  }
  const rootWord = w.next();
  const root: Ref = { shape: count - Number(rootWord.slice(1)), reversed: rootWord[0] === '-', location: w.real() };
  return { shapes, root, locations, curves2, curves, surfaces };
}

/** Sub-shapes with their sense and place, up to the star that ends them. */
function refsOf(w: Words, count: number): Ref[] {
  const out: Ref[] = [];
  for (;;) {
    const word = w.next();
    if (word === '*') return out;
    const ref = { shape: count - Number(word.slice(1)), reversed: word[0] === '-', location: w.real() };
    // internal and external uses (i, e) bound nothing: a cut that ends inside a face leaves such an edge
    if (word[0] === '+' || word[0] === '-') out.push(ref);
  }
}

/** Places, each a matrix or made of earlier ones. */
function locationsOf(w: Words): Affine[] {
  const locationCount = w.seek('Locations');
  const locations: Affine[] = [IDENTITY];
  for (let i = 0; i < locationCount; i++) {
    if (w.real() === 1) {
      const m = w.reals(12);
      locations.push({
        m: [
          [m[0], m[1], m[2]],
          [m[4], m[5], m[6]],
          [m[8], m[9], m[10]],
        ],
        t: [m[3], m[7], m[11]],
      });
    } else {
      let map = IDENTITY;
      for (;;) {
        const k = w.real();
        if (k === 0) break;
        const power = w.real();
        const base = power < 0 ? inverse(locations[k]) : locations[k];
        for (let n = 0; n < Math.abs(power); n++) map = compose(base, map);
      }
      locations.push(map);
    }
  }
  return locations;
}

function splineOf(
  w: Words,
  dim: 2 | 3,
  rational: boolean,
  periodic: boolean,
  degree: number,
  poles: number,
  knots: number,
): PeriodicSpline {
  const P: number[][] = [];
  const W: number[] = [];
  for (let i = 0; i < poles; i++) {
    P.push(w.reals(dim));
    W.push(rational ? w.real() : 1);
  }
  const K: number[] = [];
  const M: number[] = [];
  for (let i = 0; i < knots; i++) {
    K.push(w.real());
    M.push(w.real());
  }
  return { dim, degree, rational, periodic, poles: P, weights: W, knots: K, multiplicities: M };
}

function bezierOf(w: Words, dim: 2 | 3): RawCurve {
  const rational = w.real() === 1;
  const degree = w.real();
  const s = splineOf(w, dim, rational, false, degree, degree + 1, 0);
  return { kind: 'spline', spline: { ...s, knots: [0, 1], multiplicities: [degree + 1, degree + 1] } };
}

function curveOf(w: Words, dim: 2 | 3): RawCurve {
  const type = w.real();
  const frame = dim === 3 ? 12 : 6;
  switch (type) {
    case 1:
      return { kind: 'analytic', type, data: w.reals(2 * dim) };
    case 2:
    case 4:
      return { kind: 'analytic', type, data: w.reals(frame + 1) };
    case 3:
    case 5:
      return { kind: 'analytic', type, data: w.reals(frame + 2) };
    case 6:
      return bezierOf(w, dim);
    case 7: {
      const rational = w.real() === 1;
      const periodic = w.real() === 1;
      return { kind: 'spline', spline: splineOf(w, dim, rational, periodic, w.real(), w.real(), w.real()) };
    }
    case 8: {
      w.reals(2);
      return { kind: 'trimmed', basis: curveOf(w, dim) };
    }
    case 9: {
      const distance = w.real();
      const direction = dim === 3 ? (w.reals(3) as unknown as Vec3) : undefined;
      return { kind: 'offset', distance, direction, basis: curveOf(w, dim) };
    }
    default:
      throw new Error(`shape text: curve type ${type} is not known`);
  }
}

function surfaceOf(w: Words): RawSurface {
  const type = w.real();
  switch (type) {
    case 1:
      return { kind: 'analytic', type, data: w.reals(12) };
    case 2:
    case 4:
      return { kind: 'analytic', type, data: w.reals(13) };
    case 3:
    case 5:
      return { kind: 'analytic', type, data: w.reals(14) };
    case 6: {
      const data = w.reals(3);
      return { kind: 'analytic', type, data, basis: curveOf(w, 3) };
    }
    case 7: {
      const data = w.reals(6);
      return { kind: 'analytic', type, data, basis: curveOf(w, 3) };
    }
    case 8:
    case 9: {
      const ru = w.real() === 1;
      const rv = w.real() === 1;
      const [pu, pv] = type === 9 ? [w.real() === 1, w.real() === 1] : [false, false];
      const du = w.real();
      const dv = w.real();
      const [nu, nv, ku, kv] = type === 9 ? w.reals(4) : [du + 1, dv + 1, 0, 0];
      const rational = ru || rv;
      const poles = new Float64Array(nu * nv * 4);
      for (let i = 0; i < nu * nv; i++) {
        poles.set(w.reals(3), i * 4);
        poles[i * 4 + 3] = rational ? w.real() : 1;
      }
      const pairs = (n: number, degree: number) => {
        if (type === 8) return { knots: [0, 1], multiplicities: [degree + 1, degree + 1] };
        const knots: number[] = [];
        const multiplicities: number[] = [];
        for (let i = 0; i < n; i++) {
          knots.push(w.real());
          multiplicities.push(w.real());
        }
        return { knots, multiplicities };
      };
      const u = { degree: du, periodic: pu, ...pairs(ku, du) };
      const v = { degree: dv, periodic: pv, ...pairs(kv, dv) };
      return { kind: 'spline', u, v, rational, nu, nv, poles };
    }
    case 10: {
      w.reals(4);
      return { kind: 'trimmed', basis: surfaceOf(w) };
    }
    case 11:
      return { kind: 'offset', distance: w.real(), basis: surfaceOf(w) };
    default:
      throw new Error(`shape text: surface type ${type} is not known`);
  }
}

function vertexOf(w: Words) {
  const tolerance = w.real();
  const point = w.reals(3) as unknown as Vec3;
  for (;;) {
    w.real();
    const type = w.real();
    if (type === 0) break;
    if (type === 1) w.real();
    else if (type === 2) w.reals(2);
    else w.reals(2);
    w.real();
  }
  return { kind: 'Ve', tolerance, point };
}
function edgeOf(w: Words, version: number) {
  const tolerance = w.real();
  w.reals(2);
  const degenerate = w.real() === 1;
  let curve: RawShape['curve'];
  const pcurves: PcurveRep[] = [];
  for (;;) {
    const type = w.real();
    if (type === 0) break;
    switch (type) {
      case 1: {
        const index = w.real();
        const location = w.real();
        const range: readonly [number, number] = [w.real(), w.real()];
        if (index > 0) curve = { curve: index - 1, location, range };
        break;
      }
      case 2:
      case 3: {
        const forward = w.real() - 1;
        // the continuity word is glued to the second number
        const back = type === 3 ? Number(/^\d+/.exec(w.next())?.[0]) - 1 : forward;
        const surface = w.real() - 1;
        const location = w.real();
        const range: readonly [number, number] = [w.real(), w.real()];
        if (version === 2) w.reals(type === 3 ? 8 : 4);
        pcurves.push({ forward, back, surface, location, range });
        break;
      }
      case 4:
        w.next();
        w.reals(4);
        break;
      case 5:
        w.reals(2);
        break;
      case 6:
        w.reals(3);
        break;
      case 7:
        w.reals(4);
        break;
      default:
        throw new Error(`shape text: edge record ${type} is not known`);
    }
  }
  return { kind: 'Ed', tolerance, curve, pcurves, degenerate };
}
function faceOf(w: Words) {
  w.real();
  const tolerance = w.real();
  const surface = w.real() - 1;
  const location = w.real();
  if (w.ahead === '2') w.reals(2);
  return { kind: 'Fa', tolerance, surface, location };
}

function inverse(a: Affine): Affine {
  const [r0, r1, r2] = a.m;
  const d = determinant(a);
  const c = (p: Vec3, q: Vec3): Vec3 => [p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]];
  const [a0, a1, a2] = [c(r1, r2), c(r2, r0), c(r0, r1)];
  const m: Affine['m'] = [
    [a0[0] / d, a1[0] / d, a2[0] / d],
    [a0[1] / d, a1[1] / d, a2[1] / d],
    [a0[2] / d, a1[2] / d, a2[2] / d],
  ];
  const t = applyPoint({ m, t: [0, 0, 0] }, a.t);
  return { m, t: [-t[0], -t[1], -t[2]] };
}
