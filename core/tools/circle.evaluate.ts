import { along, DEG, toWorld } from '../math/index.ts';
import { circleCurve } from '../nurbs/index.ts';
import { curveResult, defineEvaluation, drawingFrame, failure, type Mark } from '../recipe/index.ts';
import tool from './circle.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  if (p.centre.length < 1) return failure('too-few', 'Click the centre');
  const r = p.size === 'radius' ? p.radius : p.diameter / 2;
  const at = { ...frame, origin: toWorld(frame, p.centre[0]) };
  const marks: Mark[] = [
    {
      kind: 'push',
      from: at.origin,
      direction: at.x,
      value: p[p.size],
      rate: p.size === 'radius' ? 1 : 0.5,
      label: p.size === 'radius' ? 'Radius' : 'Diameter',
      param: p.size,
      template: '$value',
      min: 1e-6,
    },
  ];
  if (p.part === 'full') return { ...curveResult(circleCurve(at, r)), marks };
  let turn = (p.end - p.start) % 360;
  if (turn <= 0) turn += 360;
  if (turn < 1e-6) return failure('no-arc', 'Start and end angle are equal', [along(at.origin, at.x, r)]);
  return { ...curveResult(circleCurve(at, r, p.start * DEG, (p.start + turn) * DEG)), marks };
});
