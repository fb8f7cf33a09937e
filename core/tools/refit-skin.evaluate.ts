import { surfaceBody, useUV } from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import { domainU, domainV, isClosedU, isClosedV } from '../nurbs/index.ts';
import { deviationMarks } from '../recipe/deviation.ts';
import { type Diagnostic, defineEvaluation, failure, inputBody, type Mark, surfaceFacts } from '../recipe/index.ts';
import { refitSurface } from '../skins/index.ts';
import tool from './refit-skin.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const input = inputs.skin[0];
  const body = inputBody(input);
  if (!body) return failure('no-skin', 'Pick a skin');
  const face = input.face ?? (body.faces.length === 1 ? 0 : undefined);
  if (face === undefined) return failure('several-faces', `This skin has ${body.faces.length} faces: pick one of them`);
  const f = body.faces[face];
  const s = f.surface;
  if (p.by === 'count' && (p.pointsU <= p.degreeU || p.pointsV <= p.degreeV))
    return failure('too-few-points', `Degree ${p.degreeU} × ${p.degreeV} needs at least ${p.degreeU + 1} × ${p.degreeV + 1} points`);
  const r = refitSurface(s, {
    degreeU: p.degreeU,
    degreeV: p.degreeV,
    size: p.by === 'count' ? { countU: p.pointsU, countV: p.pointsV } : { tolerance: p.tolerance },
  });
  const [ru, rv] = [domainU(s), domainV(s)];
  const whole =
    f.loops.length === 1 &&
    !f.turnU &&
    !f.turnV &&
    f.loops[0].every((use) => {
      const e = body.edges[use.edge];
      return [0.2, 0.7].every((k) => {
        const [u, v] = useUV(f, use, e.range[0] + k * (e.range[1] - e.range[0]));
        const near = (x: number, r: readonly [number, number]) =>
          Math.abs(x - r[0]) < 1e-7 * (r[1] - r[0]) || Math.abs(x - r[1]) < 1e-7 * (r[1] - r[0]);
        return near(u, ru) || near(v, rv);
      });
    });
  const diagnostics: Diagnostic[] = whole
    ? []
    : [
        {
          severity: 'warning',
          code: 'trims',
          message: 'The face was trimmed: what comes back is its whole surface, refitted. Trim it again',
        },
      ];
  const made = surfaceBody(r.surface, { prefix: context.stepId, face: (i, j, n, m) => (n * m > 1 ? `${f.name}.${i}.${j}` : f.name) }).body;
  const limit = p.by === 'count' ? p.allowed : p.tolerance;
  const marks: Mark[] = deviationMarks(r.surface, r.map, r.columns, limit);
  return {
    outputs: {
      main: { kind: 'skin', body: { ...made, faces: made.faces.map((x) => ({ ...x, reversed: f.reversed, colour: f.colour })) } },
    },
    diagnostics,
    marks,
    facts: [
      ...surfaceFacts([r.surface]),
      { label: 'before', value: `${s.countU} × ${s.countV}` },
      { label: 'deviation', value: `${formatNumber(r.deviation, 5)} mm`, number: r.deviation, unit: 'mm', ...(limit > 0 ? { limit } : {}) },
      ...(isClosedU(s, 1e-7) || isClosedV(s, 1e-7) ? [{ label: 'closed', value: 'and stays so' }] : []),
    ],
  };
});
