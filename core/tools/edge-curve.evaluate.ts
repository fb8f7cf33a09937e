import { bodyBox, edgeCurve, rimChains } from '../brep/index.ts';
import { chainsOf, clipToFace } from '../curves/index.ts';
import { boxSize, distance } from '../math/index.ts';
import { domain, domainU, domainV, isoU, isoV, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { chainsResult, defineEvaluation, failure, inputBody, inputCurves } from '../recipe/index.ts';
import tool from './edge-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  if (p.what === 'edges') {
    const list = inputs.edges.flatMap(inputCurves);
    if (!list.length) return failure('no-edges', 'Pick edges of a skin or solid');
    return chainsResult(chainsOf(list, 1e-4).map((c) => c.curves));
  }
  if (p.what === 'rims') {
    const body = inputs.skin[0] && inputBody(inputs.skin[0]);
    if (!body) return failure('no-skin', 'Pick a skin');
    const chains = rimChains(body);
    if (!chains.length) return failure('no-rims', 'This skin is closed: it has no rims');
    return chainsResult(
      chains.flatMap((c) =>
        chainsOf(
          c.map((e) => edgeCurve(body.edges[e])),
          1e-5 * boxSize(bodyBox(body)),
        ).map((x) => x.curves),
      ),
    );
  }
  const input = inputs.face[0];
  const body = input && inputBody(input);
  if (!body || input.face === undefined) return failure('no-face', 'Pick a face');
  const f = body.faces[input.face];
  const [a, b] = p.direction === 'u' ? domainV(f.surface) : domainU(f.surface);
  const shares = p.count === 1 ? [p.at] : Array.from({ length: p.count }, (_, i) => (i + 0.5) / p.count);
  const out: NurbsCurve[] = shares.flatMap((s) => {
    const t = a + (b - a) * s;
    const iso = p.direction === 'u' ? isoV(f.surface, t) : isoU(f.surface, t);
    return clipToFace(body, input.face as number, iso, (x) => (p.direction === 'u' ? [x, t] : [t, x]));
  });
  const real = out.filter((c) => distance(pointAt(c, domain(c)[0]), pointAt(c, (domain(c)[0] + domain(c)[1]) / 2)) > 1e-9);
  if (!real.length) return failure('outside', 'At this share the face is trimmed away: choose another');
  return chainsResult(real.map((c) => [c]));
});
