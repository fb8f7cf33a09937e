import { chainCurves, flatBody, flipBody, massProperties, regionsOf } from '../brep/index.ts';
import { crossingLoops, sameLoop } from '../curves/index.ts';
import { formatNumber } from '../math/index.ts';
import { planeOf } from '../nurbs/index.ts';
import { bodyPiece, defineEvaluation, failure, inputCurves } from '../recipe/index.ts';
import tool from './flat-skin.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const curves = inputs.loops.flatMap((i) => [...inputCurves(i)]);
  const { closed, open } = chainCurves(curves, Math.max(context.tolerance, 1e-6));
  if (open.length)
    return failure(
      'open-loop',
      `${open.length === 1 ? 'A loop is' : `${open.length} loops are`} open by ${formatNumber(open[0].gap)} mm: close it or add the missing curve`,
      [open[0].at],
    );
  const plane = planeOf(curves);
  if (!plane) return failure('straight', 'The loops enclose no area');
  if (plane.deviation > p.flatness)
    return failure(
      'not-flat',
      `The loops are ${formatNumber(plane.deviation)} mm out of one plane; ${formatNumber(p.flatness)} mm are allowed`,
      [plane.frame.origin],
    );
  const up = plane.frame.z[2] < -1e-9 || (Math.abs(plane.frame.z[2]) < 1e-9 && plane.frame.z[0] + plane.frame.z[1] < 0);
  const f = plane.frame;
  const frame = up ? { ...f, y: [-f.y[0], -f.y[1], -f.y[2]] as const, z: [-f.z[0], -f.z[1], -f.z[2]] as const } : f;
  const once = closed.filter((c, i) => !closed.slice(0, i).some((d) => sameLoop(c, d)));
  const regions = regionsOf(once, frame);
  const crossing = crossingLoops(once);
  let body = flatBody(regions, frame, context.stepId);
  if (p.turned) body = flipBody(body);
  return {
    outputs: { main: bodyPiece(body) },
    diagnostics: [
      ...(once.length < closed.length
        ? [
            {
              severity: 'note' as const,
              code: 'twice',
              message: `${closed.length - once.length} of the loops was picked twice and counts once`,
            },
          ]
        : []),
      ...(crossing.length
        ? [
            {
              severity: 'warning' as const,
              code: 'loops-cross',
              message: 'Loops cross each other: their regions lie on each other. Trim the curves to one outline first',
              place: crossing,
            },
          ]
        : []),
    ],
    facts: [
      { label: 'regions', value: String(regions.length) },
      { label: 'holes', value: String(regions.reduce((s, r) => s + r.holes.length, 0)) },
      { label: 'area', value: `${formatNumber(massProperties(body).area, 2)} mm²` },
    ],
  };
});
