import { type Body, chainCurves, edgeCurve, Neighbour, nearestOn, normalNear, topologyOf } from '../brep/index.ts';
import { add, distance, formatNumber, length, type Vec3 } from '../math/index.ts';
import { domain, endPoint, type NurbsCurve, pointAt, reverseCurve, startPoint } from '../nurbs/index.ts';
import {
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  failure,
  type Input,
  inputBody,
  inputCurves,
  inputDirection,
  type Mark,
  surfaceFacts,
} from '../recipe/index.ts';
import { normalRuled } from '../skins/index.ts';
import tool from './normal-ruled.ts';

type Normal = (p: Vec3) => Vec3;
export default defineEvaluation(tool, (inputs, p, context) => {
  const skin = inputs.skin[0] && inputBody(inputs.skin[0]);
  const pieces: { curve: NurbsCurve; normal: Normal }[] = [];
  for (const [i, input] of inputs.chain.entries()) {
    const own = piecesOf(input, p.faces);
    if (own) pieces.push(...own);
    else {
      if (!skin) return failure('no-skin', `Curve ${i + 1} is a free curve: pick the skin it lies on, so that there are normals`);
      const off = farthestFrom(skin, inputCurves(input));
      if (off.distance > Math.max(10 * context.tolerance, 1e-2 * off.length))
        return failure(
          'off-skin',
          `Curve ${i + 1} does not lie on the skin: it is ${formatNumber(off.distance, 3)} mm off. Project it onto the skin first`,
          [off.at],
        );
      pieces.push(...inputCurves(input).map((curve) => ({ curve, normal: (q: Vec3) => normalNear(skin, q) })));
    }
  }
  if (!pieces.length) return failure('no-curves', 'Pick edges, or curves on a skin');
  const join = Math.max(context.tolerance, 1e-5);
  const chains = chainCurves(
    pieces.map((x) => x.curve),
    join,
  );
  const list = [...chains.closed, ...chains.open.map((o) => o.chain)];
  if (list.length > 1)
    return failure(
      'parted',
      `The curves fall into ${list.length} chains: one wall follows one chain. Take the others away, or make a wall for each`,
      list.map((c) => startPoint(c[0])),
    );
  // what was put end to end may have been turned round; each curve keeps its own normals
  const normals = list[0].map((c) => {
    const mid = pointAt(c, (domain(c)[0] + domain(c)[1]) / 2);
    return pieces.reduce((best, x) => (away(x.curve, mid) < away(best.curve, mid) ? x : best)).normal;
  });
  const direction = p.along === 'pull' ? ((inputs.pull[0] && inputDirection(inputs.pull[0])) ?? ([0, 0, 1] as Vec3)) : undefined;
  const [out, inn] = p.side === 'out' ? [p.distance, 0] : p.side === 'in' ? [0, p.distance] : [p.distance, p.back];
  const r = normalRuled(list[0], normals, { out, in: inn, angle: p.angle, pull: direction, tolerance: p.tolerance }, context.stepId);
  if (!r.ok) return failure(r.code, r.message, r.place);
  const s = r.result;
  const first = list[0][0];
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
      { label: 'chain', value: distance(startPoint(first), endPoint(list[0][list[0].length - 1])) < 1e-5 ? 'closed' : 'open' },
    ],
  };
});
/** Where curves are farthest from a skin, of some places along them, and how long they are about. */
function farthestFrom(skin: Body, curves: readonly NurbsCurve[]): { distance: number; at: Vec3; length: number } {
  let most = { distance: 0, at: startPoint(curves[0]) };
  let l = 0;
  for (const c of curves) {
    const [a, b] = domain(c);
    const places = Array.from({ length: 17 }, (_, k) => pointAt(c, a + ((b - a) * k) / 16));
    places.forEach((at, k) => {
      const d = nearestOn(skin, at)?.distance ?? 0;
      if (d > most.distance) most = { distance: d, at };
      if (k) l += distance(at, places[k - 1]);
    });
  }
  return { ...most, length: l };
}
const away = (c: NurbsCurve, q: Vec3): number => {
  const [a, b] = domain(c);
  return distance(pointAt(c, (a + b) / 2), q);
};
/** Edges of a pick with the normals of the faces beside them. */
function piecesOf(i: Input, faces: 'first' | 'second' | 'both'): { curve: NurbsCurve; normal: Normal }[] | undefined {
  const body = inputBody(i);
  if (!body || (!i.chain && i.edge === undefined)) return undefined;
  const edges = i.chain ? i.chain.edges.edges : [{ edge: i.edge as number, reversed: false }];
  const { uses } = topologyOf(body);
  const whole = !i.chain || (i.chain.cut[0] <= 0 && i.chain.cut[1] >= 1);
  const made = edges.map(({ edge, reversed }) => {
    const sides = (uses[edge].length > 1 ? (faces === 'both' ? [0, 1] : faces === 'second' ? [1] : [0]) : [0]) as (0 | 1)[];
    const near = sides.map((s) => new Neighbour(body, [{ edge, reversed }], s));
    const curve = reversed ? reverseCurve(edgeCurve(body.edges[edge])) : edgeCurve(body.edges[edge]);
    return {
      curve,
      normal: (q: Vec3): Vec3 => {
        const sum = near.map((x) => x.at(q).normal).reduce(add, [0, 0, 0] as Vec3);
        const l = length(sum) || 1;
        return [sum[0] / l, sum[1] / l, sum[2] / l];
      },
    };
  });
  if (whole) return made;
  // a shortened chain: its clipped curves, each with the normals of the edge it was cut from
  return inputCurves(i).map((curve) => {
    const mid = pointAt(curve, (domain(curve)[0] + domain(curve)[1]) / 2);
    const home = made.reduce((best, x) => (nearestOf(x.curve, mid) < nearestOf(best.curve, mid) ? x : best));
    return { curve, normal: home.normal };
  });
}
const nearestOf = (c: NurbsCurve, q: Vec3): number => {
  const [a, b] = domain(c);
  let d = Infinity;
  for (let k = 0; k <= 32; k++) d = Math.min(d, distance(pointAt(c, a + ((b - a) * k) / 32), q));
  return d;
};
