import { largestBend, refitByCount, refitWithin, sameDegreePoints } from '../curves/index.ts';
import { formatNumber, type Vec3 } from '../math/index.ts';
import { controlPoints, joinCurves, pointCount } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, failure, inputCurves } from '../recipe/index.ts';
import tool from './refit-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const list = inputCurves(inputs.curve[0]);
  if (!list.length) return failure('not-a-curve', 'Pick a curve or an edge');
  const c = joinCurves(list);
  if (p.by === 'degree') {
    const points = controlPoints(c).map((q): Vec3 => [q[0], q[1], q[2]]);
    const r = sameDegreePoints(points, p.degree);
    const names = [
      '',
      'a polyline: it runs through every point',
      'joined arcs-like pieces: it touches the sides of the polygon',
      'smooth: curvature runs on without a step',
    ];
    return {
      ...curveResult(r),
      diagnostics: [
        {
          severity: 'note',
          code: 'degree',
          message: `Degree ${r.degree} makes the same ${points.length} points ${names[Math.min(3, r.degree)]}`,
        },
      ],
    };
  }
  if (p.by === 'count' && p.points <= p.degree)
    return failure('too-few', `Degree ${p.degree} needs at least ${p.degree + 1} control points; ${p.points} are asked`);
  const keep = Number(p.ends) as 0 | 1 | 2;
  if (p.by === 'count' && keep && p.points < 2 * (keep + 1))
    return failure(
      'too-few',
      `Keeping ${keep === 1 ? 'tangents' : 'curvatures'} at both ends needs at least ${2 * (keep + 1)} control points`,
    );
  const r = p.by === 'count' ? refitByCount(c, p.degree, p.points, keep) : refitWithin(c, p.degree, p.tolerance);
  const result = curveResult(r.curve);
  const [before, after] = [largestBend(c), largestBend(r.curve)];
  return {
    ...result,
    facts: [
      {
        label: 'largest deviation',
        value: `${formatNumber(r.deviation, 6)} mm`,
        number: r.deviation,
        unit: 'mm',
        limit: p.by === 'tolerance' ? p.tolerance : undefined,
      },
      { label: 'points before', value: String(pointCount(c)) },
      { label: 'sharpest bend', value: `${formatNumber(1 / before, 2)} → ${formatNumber(1 / after, 2)} mm` },
      ...(result.facts ?? []),
    ],
    marks: [{ kind: 'number', at: r.at, label: `${formatNumber(r.deviation, 4)} mm` }],
  };
});
