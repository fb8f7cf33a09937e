import { bridge, endJet, equalLegBezier, type Grade, largestBend } from '../curves/index.ts';
import { angleBetween, DEG, distance, formatNumber, negate, type Vec3 } from '../math/index.ts';
import { endPoint, joinCurves, lengthParameter, type NurbsCurve, planeOf, pointAt, startPoint } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, failure, inputCurves } from '../recipe/index.ts';
import tool from './bridge-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const [a, b] = inputs.ends.map((i) => inputCurves(i)).map((l) => (l.length ? joinCurves(l) : undefined));
  if (!a || !b) return failure('not-curves', 'Pick two curves or edges');
  if (p.kind === 'normals') {
    const planes = [a, b].map((c) => planeOf([c]));
    const bad = planes.findIndex((f) => !f || f.deviation > 1e-3);
    if (bad >= 0)
      return failure('not-flat', `Profile ${bad + 1} is not flat: it has no one normal`, [pointAt([a, b][bad], [a, b][bad].knots[0])]);
    const [fa, fb] = planes as { frame: { origin: Vec3; z: Vec3 } }[];
    const toward = (f: { origin: Vec3; z: Vec3 }, other: Vec3, flip: boolean): Vec3 => {
      const s = (other[0] - f.origin[0]) * f.z[0] + (other[1] - f.origin[1]) * f.z[1] + (other[2] - f.origin[2]) * f.z[2];
      return s < 0 !== flip ? negate(f.z) : f.z;
    };
    const [ma, mb] = [middleOf(a), middleOf(b)];
    const c = equalLegBezier(ma, toward(fa.frame, mb, p.flipA), mb, toward(fb.frame, ma, p.flipB), p.reachA);
    if (!c) return failure('no-legs', 'No curve with equal legs leaves these two along their normals: turn one of the normals', [ma, mb]);
    const r = curveResult(c);
    const tight = 1 / largestBend(c);
    return {
      ...r,
      facts: [
        ...(r.facts ?? []),
        { label: 'leg', value: `${formatNumber(distance(pointOf(c, 0), pointOf(c, 1)), 3)} mm` },
        { label: 'tightest radius', value: `${formatNumber(tight, 2)} mm` },
      ],
    };
  }
  const ends = (['start', 'end'] as const).flatMap((ea) =>
    (['start', 'end'] as const).map((eb) => ({
      ea,
      eb,
      d: distance(ea === 'start' ? startPoint(a) : endPoint(a), eb === 'start' ? startPoint(b) : endPoint(b)),
    })),
  );
  const fit = ends
    .filter((e) => (p.endA === 'auto' || p.endA === e.ea) && (p.endB === 'auto' || p.endB === e.eb))
    .sort((x, y) => x.d - y.d)[0];
  if (fit.d < 1e-9)
    return failure('touching', 'These ends touch already: there is nothing to bridge', [fit.ea === 'start' ? startPoint(a) : endPoint(a)]);
  const [ja, jb] = [endJet(a, fit.ea), endJet(b, fit.eb)];
  const c = bridge(ja, jb, [Number(p.first) as Grade, Number(p.second) as Grade], [p.reachA, p.reachB]);
  const r = curveResult(c);
  const [own, far] = [endJet(c, 'start'), endJet(c, 'end')];
  return {
    ...r,
    facts: [
      ...(r.facts ?? []),
      { label: 'kink, first', value: `${formatNumber(180 - angleBetween(own.tangent, ja.tangent) / DEG, 6)}°` },
      { label: 'kink, second', value: `${formatNumber(180 - angleBetween(far.tangent, jb.tangent) / DEG, 6)}°` },
    ],
  };
});

const pointOf = (c: NurbsCurve, i: number): Vec3 => [c.control[4 * i], c.control[4 * i + 1], c.control[4 * i + 2]];

/** Centre of gravity of a curve, by even steps of length. */
function middleOf(c: NurbsCurve): Vec3 {
  const by = lengthParameter(c);
  const n = 256;
  const sum = [0, 0, 0];
  for (let i = 0; i < n; i++) pointAt(c, by.at((by.total * (i + 0.5)) / n)).forEach((x, k) => (sum[k] += x / n));
  return [sum[0], sum[1], sum[2]];
}
