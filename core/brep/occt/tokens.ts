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

/** Takes the kernel's text format apart (topology versions 1-3). Throws with the place when the text is broken. */
export function takeApart(text: string): RawText {
  const token = text.split(/\s+/);
  let at = 0;
  const next = () => {
    if (at >= token.length) throw new Error('shape text ends too early');
    return token[at++];
  };
  const real = () => {
    const x = Number(next());
    if (Number.isNaN(x)) throw new Error(`shape text: "${token[at - 1]}" is not a number (word ${at})`);
    return x;
  };
  const reals = (n: number) => Array.from({ length: n }, real);
  const seek = (word: string) => {
    while (at < token.length && token[at] !== word) at++;
    if (at >= token.length) throw new Error(`shape text has no section ${word}`);
    at++;
    return real();
  };
  const version = Number(/Topology V(\d)/.exec(text)?.[1] ?? 1);

  const locationCount = seek('Locations');
  const locations: Affine[] = [IDENTITY];
  for (let i = 0; i < locationCount; i++) {
    if (real() === 1) {
      const m = reals(12);
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
        const k = real();
        if (k === 0) break;
        const power = real();
        const base = power < 0 ? inverse(locations[k]) : locations[k];
        for (let n = 0; n < Math.abs(power); n++) map = compose(base, map);
      }
      locations.push(map);
    }
  }

  const spline = (dim: 2 | 3, rational: boolean, periodic: boolean, degree: number, poles: number, knots: number): PeriodicSpline => {
    const P: number[][] = [];
    const W: number[] = [];
    for (let i = 0; i < poles; i++) {
      P.push(reals(dim));
      W.push(rational ? real() : 1);
    }
    const K: number[] = [];
    const M: number[] = [];
    for (let i = 0; i < knots; i++) {
      K.push(real());
      M.push(real());
    }
    return { dim, degree, rational, periodic, poles: P, weights: W, knots: K, multiplicities: M };
  };
  const bezier = (dim: 2 | 3): RawCurve => {
    const rational = real() === 1;
    const degree = real();
    const s = spline(dim, rational, false, degree, degree + 1, 0);
    return { kind: 'spline', spline: { ...s, knots: [0, 1], multiplicities: [degree + 1, degree + 1] } };
  };
  const readCurve = (dim: 2 | 3): RawCurve => {
    const type = real();
    const frame = dim === 3 ? 12 : 6;
    switch (type) {
      case 1:
        return { kind: 'analytic', type, data: reals(2 * dim) };
      case 2:
      case 4:
        return { kind: 'analytic', type, data: reals(frame + 1) };
      case 3:
      case 5:
        return { kind: 'analytic', type, data: reals(frame + 2) };
      case 6:
        return bezier(dim);
      case 7: {
        const rational = real() === 1;
        const periodic = real() === 1;
        return { kind: 'spline', spline: spline(dim, rational, periodic, real(), real(), real()) };
      }
      case 8: {
        reals(2);
        return { kind: 'trimmed', basis: readCurve(dim) };
      }
      case 9: {
        const distance = real();
        const direction = dim === 3 ? (reals(3) as unknown as Vec3) : undefined;
        return { kind: 'offset', distance, direction, basis: readCurve(dim) };
      }
      default:
        throw new Error(`shape text: curve type ${type} is not known`);
    }
  };
  const readSurface = (): RawSurface => {
    const type = real();
    switch (type) {
      case 1:
        return { kind: 'analytic', type, data: reals(12) };
      case 2:
      case 4:
        return { kind: 'analytic', type, data: reals(13) };
      case 3:
      case 5:
        return { kind: 'analytic', type, data: reals(14) };
      case 6: {
        const data = reals(3);
        return { kind: 'analytic', type, data, basis: readCurve(3) };
      }
      case 7: {
        const data = reals(6);
        return { kind: 'analytic', type, data, basis: readCurve(3) };
      }
      case 8:
      case 9: {
        const ru = real() === 1;
        const rv = real() === 1;
        const [pu, pv] = type === 9 ? [real() === 1, real() === 1] : [false, false];
        const du = real();
        const dv = real();
        const [nu, nv, ku, kv] = type === 9 ? reals(4) : [du + 1, dv + 1, 0, 0];
        const rational = ru || rv;
        const poles = new Float64Array(nu * nv * 4);
        for (let i = 0; i < nu * nv; i++) {
          poles.set(reals(3), i * 4);
          poles[i * 4 + 3] = rational ? real() : 1;
        }
        const pairs = (n: number, degree: number) => {
          if (type === 8) return { knots: [0, 1], multiplicities: [degree + 1, degree + 1] };
          const knots: number[] = [];
          const multiplicities: number[] = [];
          for (let i = 0; i < n; i++) {
            knots.push(real());
            multiplicities.push(real());
          }
          return { knots, multiplicities };
        };
        const u = { degree: du, periodic: pu, ...pairs(ku, du) };
        const v = { degree: dv, periodic: pv, ...pairs(kv, dv) };
        return { kind: 'spline', u, v, rational, nu, nv, poles };
      }
      case 10: {
        reals(4);
        return { kind: 'trimmed', basis: readSurface() };
      }
      case 11:
        return { kind: 'offset', distance: real(), basis: readSurface() };
      default:
        throw new Error(`shape text: surface type ${type} is not known`);
    }
  };

  const curves2 = Array.from({ length: seek('Curve2ds') }, () => readCurve(2));
  const curves = Array.from({ length: seek('Curves') }, () => readCurve(3));
  const surfaces = Array.from({ length: seek('Surfaces') }, readSurface);
  const shapeCount = seek('TShapes');
  const shapes: RawShape[] = [];
  const readRefs = (): Ref[] => {
    const out: Ref[] = [];
    for (;;) {
      const w = next();
      if (w === '*') return out;
      const ref = { shape: shapeCount - Number(w.slice(1)), reversed: w[0] === '-', location: real() };
      // internal and external uses (i, e) bound nothing: a cut that ends inside a face leaves such an edge
      if (w[0] === '+' || w[0] === '-') out.push(ref);
    }
  };
  for (let i = 0; i < shapeCount; i++) {
    const kind = next();
    const start: Omit<RawShape, 'children'> =
      kind === 'Ve' ? readVertex() : kind === 'Ed' ? readEdge() : kind === 'Fa' ? readFace() : { kind, tolerance: 0 };
    next();
    shapes.push({ ...start, children: readRefs() });
  }
  const rootWord = next();
  const root: Ref = { shape: shapeCount - Number(rootWord.slice(1)), reversed: rootWord[0] === '-', location: real() };

  function readVertex() {
    const tolerance = real();
    const point = reals(3) as unknown as Vec3;
    for (;;) {
      real();
      const type = real();
      if (type === 0) break;
      if (type === 1) real();
      else if (type === 2) reals(2);
      else reals(2);
      real();
    }
    return { kind: 'Ve', tolerance, point };
  }
  function readEdge() {
    const tolerance = real();
    reals(2);
    const degenerate = real() === 1;
    let curve: RawShape['curve'];
    const pcurves: PcurveRep[] = [];
    for (;;) {
      const type = real();
      if (type === 0) break;
      switch (type) {
        case 1: {
          const index = real();
          const location = real();
          const range: readonly [number, number] = [real(), real()];
          if (index > 0) curve = { curve: index - 1, location, range };
          break;
        }
        case 2:
        case 3: {
          const forward = real() - 1;
          // the continuity word is glued to the second number
          const back = type === 3 ? Number(/^\d+/.exec(next())?.[0]) - 1 : forward;
          const surface = real() - 1;
          const location = real();
          const range: readonly [number, number] = [real(), real()];
          if (version === 2) reals(type === 3 ? 8 : 4);
          pcurves.push({ forward, back, surface, location, range });
          break;
        }
        case 4:
          next();
          reals(4);
          break;
        case 5:
          reals(2);
          break;
        case 6:
          reals(3);
          break;
        case 7:
          reals(4);
          break;
        default:
          throw new Error(`shape text: edge record ${type} is not known`);
      }
    }
    return { kind: 'Ed', tolerance, curve, pcurves, degenerate };
  }
  function readFace() {
    real();
    const tolerance = real();
    const surface = real() - 1;
    const location = real();
    if (token[at] === '2') reals(2);
    return { kind: 'Fa', tolerance, surface, location };
  }

  return { shapes, root, locations, curves2, curves, surfaces };
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
