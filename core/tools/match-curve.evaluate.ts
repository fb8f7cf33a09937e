import { acrossPlane, arcLengthJet, type EndJet, endJet, equalLegs, type Grade, largestBend, matchEnd, turned } from '../curves/index.ts';
import { angleBetween, DEG, distance, formatNumber, length } from '../math/index.ts';
import {
  closestOnCurve,
  domain,
  elevateCurve,
  endPoint,
  insertCurveKnots,
  joinCurves,
  knotRuns,
  type NurbsCurve,
  startPoint,
} from '../nurbs/index.ts';
import { curveResult, defineEvaluation, failure, inputCurves, inputPlane } from '../recipe/index.ts';
import tool from './match-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const list = inputCurves(inputs.curve[0]);
  if (!list.length) return failure('not-a-curve', 'Pick the curve to change');
  let c = joinCurves(list);
  const grade = Number(p.grade) as Grade;
  const others = inputCurves(inputs.to[0]);
  const plane = others.length ? undefined : inputPlane(inputs.to[0]);
  let end = p.end;
  let jet: EndJet;
  if (plane) {
    const off = (q: readonly number[]) =>
      Math.abs((q[0] - plane.origin[0]) * plane.z[0] + (q[1] - plane.origin[1]) * plane.z[1] + (q[2] - plane.origin[2]) * plane.z[2]);
    if (end === 'auto') end = off(startPoint(c)) <= off(endPoint(c)) ? 'start' : 'end';
    const own = arcLengthJet(c, domain(c)[end === 'start' ? 0 : 1]);
    jet = acrossPlane(end === 'start' ? own : turned(own), plane);
  } else {
    const o = joinCurves(others);
    if (!others.length) return failure('nothing', 'Pick a curve, an edge or a plane to meet');
    const gaps = (['start', 'end'] as const).map((e) => {
      const q = e === 'start' ? startPoint(c) : endPoint(c);
      return {
        e,
        d: p.place === 'foot' ? closestOnCurve(o, q).distance : Math.min(distance(q, startPoint(o)), distance(q, endPoint(o))),
      };
    });
    if (end === 'auto') end = gaps[0].d <= gaps[1].d ? 'start' : 'end';
    const mine = end === 'start' ? startPoint(c) : endPoint(c);
    if (p.place === 'foot') {
      const j = arcLengthJet(o, closestOnCurve(o, mine).t);
      const own = endJet(c, end);
      // along the other curve in the direction in which this one leaves
      jet = angleBetween(j.tangent, own.tangent) > 90 * DEG ? j : turned(j);
    } else jet = endJet(o, distance(mine, startPoint(o)) < distance(mine, endPoint(o)) ? 'start' : 'end');
  }
  let inserted = 0;
  if (p.room) {
    if (c.degree < grade) c = elevateCurve(c, grade - c.degree);
    for (; c.control.length / 4 < grade + 2 || needsKnot(c, grade); inserted++) c = insertCurveKnots(c, [widestMiddle(c)]);
  }
  const before = largestBend(c);
  const r = p.equal ? equalLegs(c, end, jet) : matchEnd(c, end, jet, grade);
  if (!r.ok) return failure('cannot', r.message, [end === 'start' ? startPoint(c) : endPoint(c)]);
  const own = endJet(r.curve, end);
  const result = curveResult(r.curve);
  const k = [length(own.curvature), length(jet.curvature)];
  return {
    ...result,
    facts: [
      { label: 'gap', value: `${formatNumber(distance(own.point, jet.point), 9)} mm` },
      { label: 'kink', value: `${formatNumber(angleBetween(turned(own).tangent, jet.tangent) / DEG, 6)}°` },
      {
        label: 'curvature step',
        value: `${formatNumber(k[0] + k[1] > 0 ? (200 * distance(own.curvature, jet.curvature)) / (k[0] + k[1]) : 0, 4)} %`,
      },
      { label: 'points moved', value: `${grade + 1}, by up to ${formatNumber(r.moved, 3)} mm` },
      { label: 'sharpest bend', value: `${formatNumber(1 / before, 2)} → ${formatNumber(1 / r.bend, 2)} mm` },
      ...(inserted ? [{ label: 'knots inserted', value: String(inserted) }] : []),
      ...(result.facts ?? []),
    ],
    diagnostics:
      r.bend > 4 * before && r.bend > 1e-6
        ? [
            {
              severity: 'warning',
              code: 'sharp',
              message: `The curve bends ${formatNumber(r.bend / before, 1)} times sharper than before: its points beside the end stand too near. Try a lower grade or more points`,
            },
          ]
        : [],
  };
});

const needsKnot = (c: NurbsCurve, grade: number) => c.control.length / 4 < 2 * (grade + 1);

function widestMiddle(c: NurbsCurve): number {
  const { values } = knotRuns(c.knots, c.degree);
  let best = 0;
  for (let i = 1; i + 1 < values.length; i++) if (values[i + 1] - values[i] > values[best + 1] - values[best] + 1e-12) best = i;
  return (values[best] + values[best + 1]) / 2;
}
