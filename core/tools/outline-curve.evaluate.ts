import { outline } from '../curves/index.ts';
import type { Vec3 } from '../math/index.ts';
import { domain, pointAt } from '../nurbs/index.ts';
import { chainsResult, defineEvaluation, failure, inputBody, inputCurves, inputPlane, withinFact } from '../recipe/index.ts';
import tool from './outline-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const body = inputBody(inputs.skin[0]);
  if (!body) return failure('no-skin', 'Pick a skin or solid');
  let d: Vec3 = p.direction === 'x' ? [1, 0, 0] : p.direction === 'y' ? [0, 1, 0] : [0, 0, 1];
  if (p.direction === 'picked') {
    const input = inputs.pull[0];
    if (!input) return failure('no-direction', 'Pick a plane or a line for the pull direction');
    const line = inputCurves(input)[0];
    if (line) {
      const [a, b] = domain(line);
      const [s, e] = [pointAt(line, a), pointAt(line, b)];
      d = [e[0] - s[0], e[1] - s[1], e[2] - s[2]];
    } else {
      const plane = inputPlane(input);
      if (!plane) return failure('not-flat', 'What is picked is not flat: it gives no direction');
      d = plane.z;
    }
  }
  p.tilt.forEach((deg, k) => {
    const a = (deg * Math.PI) / 180;
    const [i, j] = [(k + 1) % 3, (k + 2) % 3];
    const v = [...d];
    [v[i], v[j]] = [d[i] * Math.cos(a) - d[j] * Math.sin(a), d[i] * Math.sin(a) + d[j] * Math.cos(a)];
    d = [v[0], v[1], v[2]];
  });
  const r = outline(body, d, { rims: p.rims, tolerance: p.tolerance });
  if (!r.chains.length)
    return failure(
      'none',
      'No place of this skin turns away from that direction: it is seen as a whole. Take another direction, or its rims',
    );
  const length = (c: (typeof r.chains)[number]) => c.curves.reduce((s, x) => s + x.control.length, 0);
  const chains = [...r.chains].sort((a, b) => Number(b.closed) - Number(a.closed) || length(b) - length(a));
  const open = chains.filter((c) => !c.closed).length;
  return chainsResult(
    (p.only === 'longest' ? chains.slice(0, 1) : chains).map((c) => c.curves),
    {
      facts: [
        { label: 'closed chains', value: String(chains.length - open) },
        withinFact('on the skin within', r.deviation, p.tolerance),
        { label: 'control points', value: String(r.points) },
      ],
      diagnostics:
        open && inputs.skin[0].piece.kind === 'solid'
          ? [
              {
                severity: 'note',
                code: 'open',
                message: `${open} ${open === 1 ? 'chain is' : 'chains are'} open: there the part turns away exactly along an edge or a flat face`,
              },
            ]
          : [],
    },
  );
});
