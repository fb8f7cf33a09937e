import { formatNumber, type Vec3 } from '../math/index.ts';
import { domain, pointAt } from '../nurbs/index.ts';
import {
  chainOnSkin,
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  failure,
  inputBody,
  inputDirection,
  type Mark,
  surfaceFacts,
} from '../recipe/index.ts';
import { normalRuled } from '../skins/index.ts';
import tool from './normal-ruled.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const skin = inputs.skin[0] && inputBody(inputs.skin[0]);
  const chain = chainOnSkin(inputs.chain, skin, p.faces, context.tolerance);
  if (!chain.ok) return failure(chain.code, chain.message, chain.place);
  const { curves, normals } = chain;
  const direction = p.along === 'pull' ? ((inputs.pull[0] && inputDirection(inputs.pull[0])) ?? ([0, 0, 1] as Vec3)) : undefined;
  const [out, inn] = p.side === 'out' ? [p.distance, 0] : p.side === 'in' ? [0, p.distance] : [p.distance, p.back];
  const r = normalRuled(curves, normals, { out, in: inn, angle: p.angle, pull: direction, tolerance: p.tolerance }, context.stepId);
  if (!r.ok) return failure(r.code, r.message, r.place);
  const s = r.result;
  const first = curves[0];
  const t = (domain(first)[0] + domain(first)[1]) / 2;
  const from = pointAt(first, t);
  const n = normals[0](from);
  const arrow = (value: number, param: string, inwards: boolean): Mark => ({
    kind: 'push',
    from,
    direction: inwards ? [-n[0], -n[1], -n[2]] : n,
    value,
    param,
    template: '$value',
    min: 1e-3,
  });
  const diagnostics: Diagnostic[] = s.corners.length
    ? [
        {
          severity: 'note',
          code: 'corners',
          message: `${s.corners.length === 1 ? 'One corner was' : `${s.corners.length} corners were`} closed: near ${s.corners.length === 1 ? 'it' : 'them'} the wall turns to the common direction of both faces (up to ${formatNumber(Math.max(...s.corners.map((c) => c.angle)), 1)}° apart)`,
          place: s.corners.map((c) => c.at),
        },
      ]
    : [];
  return {
    outputs: { main: { kind: 'skin', body: s.body } },
    diagnostics,
    marks: [arrow(p.distance, 'distance', p.side === 'in'), ...(p.side === 'both' ? [arrow(p.back, 'back', true)] : [])],
    facts: [
      ...surfaceFacts(s.surfaces),
      deviationFact('way from the lines asked', s.deviation, p.tolerance),
      { label: 'chain', value: chain.closed ? 'closed' : 'open' },
    ],
  };
});
