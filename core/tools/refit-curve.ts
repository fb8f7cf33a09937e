import { z } from 'zod';
import { largestBend, refitByCount, refitWithin, sameDegreePoints } from '../curves/index.ts';
import { formatNumber, type Vec3 } from '../math/index.ts';
import { controlPoints, joinCurves, pointCount } from '../nurbs/index.ts';
import { curveResult, defineTool, failure, inputCurves, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'refit-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Refit curve',
  hint: 'The curve anew with a chosen degree and number of points, or within a tolerance; its true deviation and place are told',
  icon: ['M3 17c3-9 5-2 7-6s4 5 6-1 3-2 5-4', 'M3 17c6-12 12-2 18-11'],
  slots: { curve: slot({ label: 'Curve', accepts: ['chain'], min: 1, max: 1, consumes: true }) },
  params: z.object({
    by: param.choice({
      label: 'By',
      options: [
        { value: 'count', label: 'Points' },
        { value: 'tolerance', label: 'Tolerance' },
        { value: 'degree', label: 'Same points' },
      ],
      default: 'count',
      hint: 'Same points: the control points stay and only the degree changes, to see what it does',
    }),
    degree: param.integer({ label: 'Degree', default: 3, min: 1, max: 7 }),
    points: param.integer({ label: 'Control points', default: 6, min: 2, max: 200, when: { key: 'by', is: ['count'] } }),
    tolerance: param.length({ label: 'Within', default: 0.01, min: 1e-7, max: 10, when: { key: 'by', is: ['tolerance'] } }),
    ends: param.choice({
      label: 'Ends keep',
      options: [
        { value: '0', label: 'Place' },
        { value: '1', label: 'Tangent' },
        { value: '2', label: 'Curvature' },
      ],
      default: '0',
      when: { key: 'by', is: ['count'] },
    }),
  }),
  examples: [{ params: { points: 9, degree: 4 } }, { params: { by: 'tolerance', degree: 5 } }, { params: { by: 'degree', degree: 2 } }],
  evaluate(inputs, p) {
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
      diagnostics:
        p.by === 'tolerance' && r.deviation > p.tolerance
          ? [
              {
                severity: 'warning',
                code: 'tolerance',
                message: `The tolerance was not reached: ${formatNumber(r.deviation, 6)} mm`,
                place: [r.at],
              },
            ]
          : [],
      facts: [
        { label: 'largest deviation', value: `${formatNumber(r.deviation, 6)} mm` },
        { label: 'points before', value: String(pointCount(c)) },
        { label: 'sharpest bend', value: `${formatNumber(1 / before, 2)} → ${formatNumber(1 / after, 2)} mm` },
        ...(result.facts ?? []),
      ],
      marks: [{ kind: 'number', at: r.at, label: `${formatNumber(r.deviation, 4)} mm` }],
    };
  },
});
