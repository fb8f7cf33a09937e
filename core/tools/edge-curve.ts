import { z } from 'zod';
import { bodyBox, edgeCurve, rimChains } from '../brep/index.ts';
import { chainsOf, clipToFace } from '../curves/index.ts';
import { boxSize, distance } from '../math/index.ts';
import { domain, domainU, domainV, isoU, isoV, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { chainsResult, defineTool, failure, inputBody, inputCurves, param, slot } from '../recipe/index.ts';

export default defineTool({
  id: 'edge-curve',
  version: 1,
  stage: 'curves',
  group: 'From skins',
  label: 'Edge, isoparm',
  hint: 'Curves that a skin has already: picked edges, all its rims, or lines of constant parameter of a face, cut to its trims',
  icon: ['M3 17c6-4 12-4 18 0M5 8c5-3 9-3 14 0', 'M3 17 5 8M11 14.100c0-3 0-6 1-8.100'],
  slots: {
    edges: slot({ label: 'Edges', accepts: ['edge'], min: 0, max: 200, when: { key: 'what', is: ['edges'] } }),
    skin: slot({ label: 'Skin', accepts: ['body'], min: 0, max: 1, when: { key: 'what', is: ['rims'] } }),
    face: slot({ label: 'Face', accepts: ['face'], min: 0, max: 1, when: { key: 'what', is: ['isoparm'] } }),
  },
  params: z.object({
    what: param.choice({
      label: 'Take',
      options: [
        { value: 'edges', label: 'Edges' },
        { value: 'rims', label: 'All rims' },
        { value: 'isoparm', label: 'Isoparm' },
      ],
      default: 'edges',
    }),
    direction: param.choice({
      label: 'Runs along',
      options: [
        { value: 'u', label: 'u' },
        { value: 'v', label: 'v' },
      ],
      default: 'u',
      when: { key: 'what', is: ['isoparm'] },
    }),
    at: param.ratio({ label: 'At share', default: 0.5, min: 0, max: 1, step: 0.01, when: { key: 'what', is: ['isoparm'] } }),
    count: param.integer({
      label: 'Number',
      default: 1,
      min: 1,
      max: 100,
      hint: 'More than one: at equal steps over the whole face',
      when: { key: 'what', is: ['isoparm'] },
    }),
  }),
  examples: [],
  evaluate(inputs, p) {
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
  },
});
