import { smoothPieces } from '../brep/index.ts';
import { cornersOfChain, roundCorners } from '../curves/index.ts';
import { DEG, distance, formatNumber } from '../math/index.ts';
import { endPoint, planeOf, startPoint } from '../nurbs/index.ts';
import { chainResult, defineEvaluation, failure, inputCurves, type Mark } from '../recipe/index.ts';
import tool from './corners.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const list = inputs.chain.flatMap(inputCurves).flatMap(smoothPieces);
  if (!list.length) return failure('not-a-curve', 'Pick a curve or edges');
  for (let i = 0; i + 1 < list.length; i++)
    if (distance(endPoint(list[i]), startPoint(list[i + 1])) > 1e-6)
      return failure('gap', `Curve ${i + 1} and the next do not meet: join them first`, [endPoint(list[i]), startPoint(list[i + 1])]);
  const closed = list.length > 1 && distance(endPoint(list[list.length - 1]), startPoint(list[0])) < 1e-6;
  const corners = cornersOfChain(list, closed);
  if (!corners.length)
    return {
      ...chainResult(list),
      diagnostics: [{ severity: 'note', code: 'no-corners', message: 'This chain has no corners: nothing is changed' }],
    };
  const plane = planeOf(list);
  if (!plane || plane.deviation > 1e-4)
    return failure(
      'not-flat',
      `The chain is ${formatNumber(plane?.deviation ?? 0, 4)} mm out of flat: corners are rounded on flat chains`,
      corners.map((c) => c.at),
    );
  const which = p.corners.map((n) => Math.round(n) - 1);
  const unknown = which.find((k) => !(k >= 0 && k < corners.length));
  if (unknown !== undefined) return failure('no-corner', `There is no corner ${unknown + 1}; they are numbered 1 to ${corners.length}`);
  const marks: Mark[] = corners.map((c, i) => ({ kind: 'number', at: c.at, label: String(i + 1) }));
  const r = roundCorners(list, closed, plane.frame, p.radius, which.length ? which : 'all', p.kind === 'bevel');
  if (!r.ok) return { ...failure('radius', r.message, [r.place]), marks };
  return chainResult(r.curves, {
    marks,
    facts: [
      { label: 'corners', value: `${r.rounded} of ${corners.length}` },
      { label: 'sharpest', value: `${formatNumber(Math.max(...corners.map((c) => c.angle / DEG)), 1)}°` },
    ],
  });
});
