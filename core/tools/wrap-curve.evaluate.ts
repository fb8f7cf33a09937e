import { chainsOf, wrapCurves } from '../curves/index.ts';
import { DEG, type Frame, formatNumber, frameFromNormal } from '../math/index.ts';
import { closestOnSurface, planeOf, surfaceNormal } from '../nurbs/index.ts';
import { chainsResult, defineEvaluation, failure, inputBody, inputCurves, inputPlane } from '../recipe/index.ts';
import tool from './wrap-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const input = inputs.face[0];
  const body = inputBody(input);
  if (!body || input.face === undefined) return failure('no-face', 'Pick a face to wrap onto');
  const curves = inputs.curves.flatMap(inputCurves);
  if (!curves.length) return failure('no-curves', 'Pick flat curves');
  let plane: Frame | undefined = inputs.plane[0] && inputPlane(inputs.plane[0]);
  const own = planeOf(curves);
  if (!plane && own && own.deviation < 1e-4) {
    // the foot of the curves' middle on the face becomes the place that stays
    const s = body.faces[input.face].surface;
    const foot = closestOnSurface(s, own.frame.origin);
    const n = surfaceNormal(s, foot.u, foot.v);
    plane = { ...own.frame, origin: own.frame.origin };
    if (Math.abs(n[0] * plane.z[0] + n[1] * plane.z[1] + n[2] * plane.z[2]) < 0.2) plane = frameFromNormal(own.frame.origin, own.frame.z);
  }
  if (!plane)
    return failure(
      'no-plane',
      own
        ? `The curves are ${formatNumber(own.deviation, 4)} mm out of flat: wrap flat curves`
        : 'A straight line lies in many planes: pick the one that touches the face',
    );
  const r = wrapCurves(body, input.face, curves, plane, { tolerance: p.tolerance, turn: p.turn * DEG });
  if (!r.ok) return failure('cannot-wrap', r.message, r.place && [r.place]);
  return chainsResult(
    // neighbours that met flat meet again on the skin
    chainsOf(r.curves, 1e-5).map((c) => c.curves),
    {
      facts: [
        { label: 'lengths kept within', value: `${formatNumber(100 * r.lengthError, 6)} %` },
        { label: 'not flat by', value: `${formatNumber(r.turn / DEG, 6)}°` },
        { label: 'control points', value: String(r.points) },
      ],
    },
  );
});
