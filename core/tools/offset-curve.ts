import { z } from 'zod';
import { smoothPieces } from '../brep/index.ts';
import { offsetChain } from '../curves/index.ts';
import { distance, type Frame, formatNumber } from '../math/index.ts';
import { endPoint, planeOf, startPoint } from '../nurbs/index.ts';
import { chainsResult, defineTool, failure, inputCurves, inputPlane, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'offset-curve',
  version: 1,
  stage: 'curves',
  group: 'Change',
  label: 'Offset curve',
  hint: 'Curves beside a flat chain at a distance, to one side or both; corners round, sharp or smooth; crossings are cut away',
  icon: ['M4 17c4-8 12-8 16 0', 'M8 19c2-5 6-5 8 0'],
  slots: {
    chain: slot({ label: 'Chain', accepts: ['chain'], min: 1, max: 50 }),
    plane: slot({ label: 'In plane', accepts: ['flat'], min: 0, max: 1, hint: 'Needed for a straight line; otherwise the plane of the chain' }),
  },
  params: z.object({
    distance: param.length({ label: 'Distance', default: 2, hint: 'Below zero: to the other side' }),
    both: param.toggle({ label: 'Both sides', default: false }),
    corner: param.choice({
      label: 'Corners',
      options: [
        { value: 'round', label: 'Round' },
        { value: 'sharp', label: 'Sharp' },
        { value: 'smooth', label: 'Smooth' },
      ],
      default: 'round',
    }),
    tolerance: param.length({ label: 'Within', default: 0.001, min: 1e-6, max: 1 }),
  }),
  examples: [{ params: {} }, { params: { both: true, distance: 1 } }],
  evaluate(inputs, p) {
    const list = inputs.chain.flatMap(inputCurves).flatMap(smoothPieces);
    if (!list.length) return failure('not-a-curve', 'Pick a curve or edges');
    if (Math.abs(p.distance) < 1e-9) return failure('no-distance', 'The distance is zero: the offset would be the curve itself');
    for (let i = 0; i + 1 < list.length; i++)
      if (distance(endPoint(list[i]), startPoint(list[i + 1])) > 1e-6) return failure('gap', `Curve ${i + 1} and the next do not meet: join them first`, [endPoint(list[i]), startPoint(list[i + 1])]);
    const closed = distance(endPoint(list[list.length - 1]), startPoint(list[0])) < 1e-6;
    const own = planeOf(list);
    const picked = inputs.plane[0] && inputPlane(inputs.plane[0]);
    if (!own && !picked) return failure('straight', 'A straight line lies in many planes: pick the one to offset in', [startPoint(list[0])]);
    const plane: Frame = picked ? { ...picked, origin: startPoint(list[0]) } : (own as { frame: Frame }).frame;
    if (own && own.deviation > 1e-4) return failure('not-flat', `The chain is ${formatNumber(own.deviation, 4)} mm out of flat: offset works on flat chains`, [own.frame.origin]);
    const sides = (p.both ? [p.distance, -p.distance] : [p.distance]).map((d) => offsetChain(list, closed, plane, d, p.corner, p.tolerance));
    const chains = sides.flatMap((s) => s.chains);
    if (!chains.length)
      return failure('vanished', `Nothing is left at ${formatNumber(p.distance)} mm: the chain is narrower than twice that. Use a smaller distance or the other side`, [startPoint(list[0])]);
    const removed = sides.reduce((n, s) => n + s.removed, 0);
    return chainsResult(chains, {
      diagnostics: removed ? [{ severity: 'note', code: 'crossings', message: `${removed} ${removed === 1 ? 'piece' : 'pieces'} that crossed or came too near were cut away` }] : [],
      facts: [{ label: 'true within', value: `${formatNumber(Math.max(...sides.map((s) => s.deviation)), 6)} mm` }],
    });
  },
});
