import { between } from '../curves/index.ts';
import { formatNumber } from '../math/index.ts';
import { joinCurves } from '../nurbs/index.ts';
import { chainsResult, defineEvaluation, failure, inputCurves } from '../recipe/index.ts';
import tool from './between-curves.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const [a, b] = inputs.curves.map((i) => inputCurves(i)).map((l) => (l.length ? joinCurves(l) : undefined));
  if (!a || !b) return failure('not-curves', 'Pick two curves or edges');
  const shares = p.count === 1 ? [p.at] : Array.from({ length: p.count }, (_, i) => (i + 1) / (p.count + 1));
  const r = between(a, b, shares, p.match, { tolerance: p.tolerance, points: p.points });
  return chainsResult(
    r.curves.map((c) => [c]),
    { facts: [{ label: p.match === 'refit' ? 'refit within' : 'fitted within', value: `${formatNumber(r.deviation, 7)} mm` }] },
  );
});
