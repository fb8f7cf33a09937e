import { add, cross, distance, dot, type Frame, length, scale, solveDense, sub, unit, type Vec3 } from '../math/index.ts';
import { basisDerivatives, derivativesAt, domain, findSpan, makeCurve, type NurbsCurve, pointCount, reverseCurve } from '../nurbs/index.ts';

/** Position and derivatives by arc length at an end, looking along the direction of travel: unit tangent, curvature vector, third derivative. */
export interface EndJet {
  readonly point: Vec3;
  readonly tangent: Vec3;
  readonly curvature: Vec3;
  readonly third: Vec3;
}
export type Grade = 0 | 1 | 2 | 3;

/** Derivatives by arc length from derivatives by any parameter (chain rule; Farin, Curves and Surfaces for CAGD, ch. 11). */
export function arcLengthJet(c: NurbsCurve, t: number): EndJet {
  const [p, d1, d2, d3] = derivativesAt(c, t, 3);
  const speed = length(d1);
  const T = scale(d1, 1 / speed);
  // with x' = T / s', s' = speed: s'' and s''' from the derivatives of the speed
  const s2 = dot(d1, d2) / speed;
  const K = scale(sub(d2, scale(T, s2)), 1 / speed ** 2);
  const s3 = (dot(d2, d2) + dot(d1, d3) - s2 * s2) / speed;
  const third = scale(sub(sub(d3, scale(T, s3)), scale(K, 3 * speed * s2)), 1 / speed ** 3);
  return { point: p, tangent: T, curvature: K, third };
}
/** Jet at an end, looking out of the curve there. */
export function endJet(c: NurbsCurve, end: 'start' | 'end'): EndJet {
  const [a, b] = domain(c);
  return end === 'end' ? arcLengthJet(c, b) : turned(arcLengthJet(c, a));
}
/** The same place looked through the other way. */
export const turned = (j: EndJet): EndJet => ({
  point: j.point,
  tangent: scale(j.tangent, -1),
  curvature: j.curvature,
  third: scale(j.third, -1),
});

/**
 * Jet for an end that meets a plane as a mirror image would: position on the plane, tangent along its normal; the curvature keeps its own
 * part in the plane, and does not change across it.
 */
export function acrossPlane(j: EndJet, plane: Frame): EndJet {
  const point = sub(j.point, scale(plane.z, dot(sub(j.point, plane.origin), plane.z)));
  const tangent = scale(plane.z, Math.sign(dot(j.tangent, plane.z)) || 1);
  const curvature = sub(j.curvature, scale(plane.z, dot(j.curvature, plane.z)));
  return { point, tangent, curvature, third: scale(tangent, -dot(curvature, curvature)) };
}

export type MatchResult =
  | { readonly ok: true; readonly curve: NurbsCurve; readonly moved: number; readonly bend: number }
  | { readonly ok: false; readonly message: string; readonly missing: number };

/**
 * Makes an end of a curve meet a jet with G0 to G3, keeping degree, knots, weights and point count: the first grade+1 control points take the
 * derivatives by parameter C' = aT, C'' = a²K + bT, C''' = a³J + 3abK + cT, with the curve's own a, b and c, so that as little as possible
 * changes. `jet` looks into the curve from its new end. The far half of the points is never touched.
 */
export function matchEnd(curve: NurbsCurve, end: 'start' | 'end', jet: EndJet, grade: Grade): MatchResult {
  const c = end === 'start' ? curve : reverseCurve(curve);
  const n = pointCount(c);
  const needed = grade + 2;
  if (n < needed || c.degree < grade) {
    const missing = Math.max(needed - n, 0);
    return {
      ok: false,
      missing,
      message:
        c.degree < grade
          ? `G${grade} needs degree ${grade} at least; this curve has degree ${c.degree}. Raise the degree first`
          : `G${grade} sets ${grade + 1} control points and the other end must stay: ${needed} are needed, ${n} are there. Insert ${missing === 1 ? 'one knot' : `${missing} knots`} first`,
    };
  }
  const [a] = domain(c);
  const p = c.degree;
  const old = derivativesAt(c, a, 3);
  const speed = length(old[1]) || distance(jet.point, derivativesAt(c, domain(c)[1], 0)[0]);
  const b = dot(old[2], old[1]) / speed;
  const own = arcLengthJet(c, a);
  const k = dot(sub(sub(old[3], scale(own.third, speed ** 3)), scale(own.curvature, 3 * speed * b)), own.tangent);
  const target: Vec3[] = [
    jet.point,
    scale(jet.tangent, speed),
    add(scale(jet.curvature, speed ** 2), scale(jet.tangent, b)),
    add(add(scale(jet.third, speed ** 3), scale(jet.curvature, 3 * speed * b)), scale(jet.tangent, k)),
  ];
  const basis = new Float64Array(4 * (p + 1));
  basisDerivatives(c.knots, p, findSpan(c.knots, p, a), a, 3, basis);
  const control = new Float64Array(c.control);
  const weights = Array.from({ length: p + 1 }, (_, i) => c.control[4 * i + 3]);
  const w = [0, 1, 2, 3].map((d) => weights.reduce((s, x, i) => s + basis[d * (p + 1) + i] * x, 0));
  const binomial = [[1], [1, 1], [1, 2, 1], [1, 3, 3, 1]];
  const before = Array.from(
    { length: n },
    (_, i): Vec3 => [
      c.control[4 * i] / c.control[4 * i + 3],
      c.control[4 * i + 1] / c.control[4 * i + 3],
      c.control[4 * i + 2] / c.control[4 * i + 3],
    ],
  );
  for (let d = 0; d <= grade; d++) {
    // derivative of the weighted curve, then the one control point that it adds
    for (let x = 0; x < 3; x++) {
      let sum = 0;
      for (let i = 0; i <= d; i++) sum += binomial[d][i] * w[i] * target[d - i][x];
      for (let i = 0; i < d; i++) sum -= basis[d * (p + 1) + i] * control[4 * i + x];
      control[4 * d + x] = sum / basis[d * (p + 1) + d];
    }
  }
  const moved = Math.max(
    ...before.map((q, i) =>
      distance(q, [control[4 * i] / control[4 * i + 3], control[4 * i + 1] / control[4 * i + 3], control[4 * i + 2] / control[4 * i + 3]]),
    ),
  );
  const out = { ...c, control };
  return { ok: true, curve: end === 'start' ? out : reverseCurve(out), moved, bend: largestBend(out) };
}
/** Largest curvature along a curve, 1/mm, sampled. */
export function largestBend(c: NurbsCurve): number {
  const [a, b] = domain(c);
  let most = 0;
  for (let i = 0; i <= 200; i++) {
    const [, d1, d2] = derivativesAt(c, a + ((b - a) * i) / 200, 2);
    const l = length(d1);
    if (l > 1e-9) most = Math.max(most, length(cross(d1, d2)) / l ** 3);
  }
  return most;
}

/**
 * A three-point curve of degree 2 with equal legs: leaves `jet` along its tangent and ends where it did. Behaves like an arc; when the far
 * end lies straight ahead it is flat, and beyond that it bends to the other side. Behind the start there is none.
 */
export function equalLegs(curve: NurbsCurve, end: 'start' | 'end', jet: EndJet): MatchResult {
  if (curve.degree !== 2 || pointCount(curve) !== 3)
    return { ok: false, missing: 0, message: 'Equal legs are for curves of degree 2 with three control points' };
  const far = derivativesAt(curve, domain(curve)[end === 'start' ? 1 : 0], 0)[0];
  const chord = sub(far, jet.point);
  const ahead = dot(chord, jet.tangent);
  if (!(ahead > 1e-9 * length(chord)))
    return { ok: false, missing: 0, message: 'The far end lies behind the tangent: no curve with equal legs reaches it' };
  const leg = dot(chord, chord) / (2 * ahead);
  const pts = [jet.point, add(jet.point, scale(jet.tangent, leg)), far];
  const out = makeCurve(2, pts, [0, 0, 0, 1, 1, 1]);
  return { ok: true, curve: end === 'start' ? out : reverseCurve(out), moved: 0, bend: largestBend(out) };
}

/**
 * Bridge between two jets that look out of the curves it joins, with G0 to G3 at each end (Hermite form of degree gradeA + gradeB + 1).
 * Reaches scale the first derivative; 1 is the distance between the ends.
 */
export function bridge(from: EndJet, to: EndJet, grades: readonly [Grade, Grade], reaches: readonly [number, number]): NurbsCurve {
  const degree = grades[0] + grades[1] + 1;
  const span = distance(from.point, to.point);
  const into = turned(to);
  const derivatives = (j: EndJet, reach: number, sign: 1 | -1): Vec3[] => {
    const a = span * reach;
    return [j.point, scale(j.tangent, sign * a), scale(j.curvature, a * a), scale(j.third, sign * a ** 3)];
  };
  const A = derivatives(from, reaches[0], 1);
  const B = derivatives({ ...into, tangent: into.tangent }, reaches[1], 1);
  const n = degree + 1;
  const M = new Float64Array(n * n);
  const R = new Float64Array(n * 3);
  const knots = Float64Array.from([...Array(n).fill(0), ...Array(n).fill(1)]);
  const basis = new Float64Array(4 * n);
  let row = 0;
  for (const [t, grade, values] of [
    [0, grades[0], A],
    [1, grades[1], B],
  ] as const) {
    basisDerivatives(knots, degree, degree, t, 3, basis);
    for (let d = 0; d <= grade; d++) {
      for (let i = 0; i < n; i++) M[row * n + i] = basis[d * n + i];
      R.set(values[d], row * 3);
      row++;
    }
  }
  solveDense(M, R, n, 3);
  return makeCurve(
    degree,
    Array.from({ length: n }, (_, i) => [R[3 * i], R[3 * i + 1], R[3 * i + 2]]),
    knots,
  );
}

/**
 * Equal-leg Bézier between two places that leaves each along its direction: cubic, its three legs (or, with `reach`, its two outer ones) of
 * one length. For directions that meet at equal distances this is the degree-raised parabola with equal legs. Undefined when the directions
 * run away from each other so that no equal legs exist.
 */
export function equalLegBezier(a: Vec3, alongA: Vec3, b: Vec3, alongB: Vec3, reach = 1): NurbsCurve | undefined {
  const [u, v] = [unit(alongA), unit(alongB)];
  // |b + L v - a - L u| = L
  const D = sub(b, a);
  const w = sub(v, u);
  const qa = dot(w, w) - 1;
  const qb = 2 * dot(D, w);
  const qc = dot(D, D);
  let L: number;
  if (Math.abs(qa) < 1e-12) L = -qc / qb;
  else {
    const disc = qb * qb - 4 * qa * qc;
    if (disc < 0) return undefined;
    const roots = [(-qb - Math.sqrt(disc)) / (2 * qa), (-qb + Math.sqrt(disc)) / (2 * qa)].filter((x) => x > 1e-12);
    if (!roots.length) return undefined;
    L = Math.min(...roots);
  }
  if (!(L > 0) || !Number.isFinite(L)) return undefined;
  L *= reach;
  return makeCurve(3, [a, add(a, scale(u, L)), add(b, scale(v, L)), b], [0, 0, 0, 0, 1, 1, 1, 1]);
}
