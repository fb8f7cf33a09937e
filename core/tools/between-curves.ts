import { z } from 'zod';
import { between } from '../curves/index.ts';
import { formatNumber } from '../math/index.ts';
import { joinCurves } from '../nurbs/index.ts';
import { chainsResult, defineTool, failure, inputCurves, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'between-curves',
  version: 1,
  stage: 'curves',
  group: 'Derive',
  label: 'In-between',
  hint: 'The mean curve of two, or several curves in even steps between them, matched by parameter, by length or after a common refit',
  icon: ['M4 18c4-4 12-4 16 0M4 6c4-3 12-3 16 0', 'M4 12c4-3.500 12-3.500 16 0'],
  slots: { curves: slot({ label: 'Between', accepts: ['chain'], min: 2, max: 2, ordered: true }) },
  params: z.object({
    count: param.integer({ label: 'Number', default: 1, min: 1, max: 200 }),
    at: param.ratio({
      label: 'At share',
      default: 0.5,
      min: -1,
      max: 2,
      step: 0.05,
      hint: 'For one curve: 0 the first, 1 the second; beyond them it goes on',
      when: { key: 'count', is: [1] },
    }),
    match: param.choice({
      label: 'Match by',
      options: [
        { value: 'length', label: 'Length' },
        { value: 'parameter', label: 'Parameter' },
        { value: 'refit', label: 'Refit' },
      ],
      default: 'length',
    }),
    points: param.integer({ label: 'Control points', default: 8, min: 4, max: 100, when: { key: 'match', is: ['refit'] } }),
    tolerance: param.length({ label: 'Within', default: 0.0001, min: 1e-8, max: 1, when: { key: 'match', is: ['length'] } }),
  }),
  examples: [],
  evaluate(inputs, p) {
    const [a, b] = inputs.curves.map((i) => inputCurves(i)).map((l) => (l.length ? joinCurves(l) : undefined));
    if (!a || !b) return failure('not-curves', 'Pick two curves or edges');
    const shares = p.count === 1 ? [p.at] : Array.from({ length: p.count }, (_, i) => (i + 1) / (p.count + 1));
    const r = between(a, b, shares, p.match, { tolerance: p.tolerance, points: p.points });
    return chainsResult(
      r.curves.map((c) => [c]),
      { facts: [{ label: p.match === 'refit' ? 'refit within' : 'fitted within', value: `${formatNumber(r.deviation, 7)} mm` }] },
    );
  },
});
