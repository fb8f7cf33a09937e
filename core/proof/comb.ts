import { add, angleBetween, cross, DEG, distance, dot, length, scale, signChange, sub, unit, type Vec3 } from '../math/index.ts';
import { derivativesAt, domain, knotRuns, type NurbsCurve } from '../nurbs/index.ts';

export interface CombSample {
  /** Length from the start of the chain, mm. */
  readonly at: number;
  readonly point: Vec3;
  /** Unit direction of the tooth: away from the centre of curvature. */
  readonly out: Vec3;
  /** Curvature, 1/mm; with sign on flat chains (positive bends to the left of travel), without otherwise. */
  readonly curvature: number;
}
export interface CombJoint {
  readonly at: number;
  readonly point: Vec3;
  readonly gap: number;
  /** Degrees. */
  readonly kink: number;
  /** Percent, as for seams: |k1-k2| / ((|k1|+|k2|)/2). */
  readonly step: number;
  readonly grade: 'open' | 'G0' | 'G1' | 'G2';
}
export interface Comb {
  readonly samples: readonly CombSample[];
  /** Where the curvature changes sign. */
  readonly inflections: readonly { readonly at: number; readonly point: Vec3 }[];
  readonly joints: readonly CombJoint[];
  readonly length: number;
  readonly smallestRadius: number;
  readonly smallestAt: Vec3;
  readonly flat: boolean;
}

const jetAt = (c: NurbsCurve, t: number) => {
  const [p, d1, d2] = derivativesAt(c, t, 2);
  const speed = length(d1) || 1e-12;
  const T = scale(d1, 1 / speed);
  const K = scale(sub(d2, scale(T, dot(d2, T))), 1 / speed ** 2);
  return { p, T, K, speed };
};

/**
 * Curvature comb of a chain: `density` teeth a span (knot span), with inflections found to 1e-12 of the parameter, the smallest radius, and
 * position, tangent and curvature compared at every joint.
 */
export function combOf(curves: readonly NurbsCurve[], density = 16): Comb {
  const samples: CombSample[] = [];
  const inflections: { at: number; point: Vec3 }[] = [];
  let at = 0;
  let smallest = { radius: Infinity, at: [0, 0, 0] as Vec3 };
  // the plane of a flat chain gives curvature its sign
  let normal: Vec3 | undefined;
  let flat = true;
  for (const c of curves) {
    const [a, b] = domain(c);
    for (let i = 0; i <= 24; i++) {
      const { T, K } = jetAt(c, a + ((b - a) * i) / 24);
      const n = cross(T, K);
      if (length(n) < 1e-9) continue;
      normal ??= unit(n);
      if (Math.abs(Math.abs(dot(unit(n), normal)) - 1) > 1e-6 || Math.abs(dot(T, normal)) > 1e-6) flat = false;
    }
  }
  const up = flat ? normal : undefined;
  const signed = (c: NurbsCurve, t: number) => {
    const { T, K } = jetAt(c, t);
    return up ? dot(cross(T, K), up) : length(K);
  };
  for (const c of curves) {
    const { values } = knotRuns(c.knots, c.degree);
    // the last place that bends at all: an inflection may fall exactly on a tooth
    let turn: { t: number; curvature: number } | undefined;
    for (let i = 0; i + 1 < values.length; i++)
      for (let k = i === 0 ? 0 : 1; k <= density; k++) {
        // just inside the ends of a span, so that a step of curvature at a knot is seen
        const inset = k === 0 ? 1e-9 : k === density ? 1 - 1e-9 : k / density;
        const t = values[i] + (values[i + 1] - values[i]) * inset;
        const { p, T, K } = jetAt(c, t);
        const last = samples[samples.length - 1];
        if (last) at += distance(last.point, p);
        const kappa = length(K);
        const side = up ? cross(up, T) : kappa > 1e-12 ? scale(K, 1 / kappa) : ([0, 0, 0] as Vec3);
        const curvature = up ? dot(K, side) : kappa;
        samples.push({ at, point: p, out: scale(side, curvature < 0 ? 1 : -1), curvature });
        if (kappa > 1e-12 && 1 / kappa < smallest.radius) smallest = { radius: 1 / kappa, at: p };
        if (up && turn && turn.curvature * curvature < 0) {
          const q = jetAt(
            c,
            signChange((s) => signed(c, s), turn.t, t),
          ).p;
          inflections.push({ at: at - distance(p, q), point: q });
        }
        if (Math.abs(curvature) > 1e-12) turn = { t, curvature };
      }
  }
  const closed =
    curves.length > 0 &&
    distance(jetAt(curves[0], domain(curves[0])[0]).p, jetAt(curves[curves.length - 1], domain(curves[curves.length - 1])[1]).p) < 1e-6;
  const joints: CombJoint[] = [];
  curves.forEach((c, i) => {
    const { values, multiplicities } = knotRuns(c.knots, c.degree);
    // inside a curve only knots of full or nearly full multiplicity can break
    values.slice(1, -1).forEach((t, k) => {
      if (multiplicities[k + 1] >= c.degree - 1)
        joints.push(
          jointBetween(
            c,
            t - 1e-10 * (values[values.length - 1] - values[0]),
            c,
            t + 1e-10 * (values[values.length - 1] - values[0]),
            Number.NaN,
          ),
        );
    });
    const next = i + 1 < curves.length ? curves[i + 1] : closed && curves.length > 0 ? curves[0] : undefined;
    if (next) joints.push(jointBetween(c, domain(c)[1], next, domain(next)[0], Number.NaN));
  });
  const placed = joints.map((j) => {
    const nearest = samples.reduce((m, s) => (distance(s.point, j.point) < distance(m.point, j.point) ? s : m), samples[0]);
    return { ...j, at: nearest?.at ?? 0 };
  });
  return { samples, inflections, joints: placed, length: at, smallestRadius: smallest.radius, smallestAt: smallest.at, flat };
}
function jointBetween(c: NurbsCurve, t: number, d: NurbsCurve, s: number, at: number): CombJoint {
  const [x, y] = [jetAt(c, t), jetAt(d, s)];
  const gap = distance(x.p, y.p);
  const kink = angleBetween(x.T, y.T) / DEG;
  const [k, m] = [length(x.K), length(y.K)];
  const step = k + m > 1e-9 ? (200 * length(sub(x.K, y.K))) / (k + m) : 0;
  return {
    at,
    point: scale(add(x.p, y.p), 0.5),
    gap,
    kink,
    step,
    grade: gap > 0.005 ? 'open' : kink > 0.05 ? 'G0' : step > 2 ? 'G1' : 'G2',
  };
}
