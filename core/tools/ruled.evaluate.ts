import { isWatertight, makeSolid } from '../brep/index.ts';
import { crossingLoops } from '../curves/index.ts';
import { joinCurves, planeOf, startPoint } from '../nurbs/index.ts';
import { bodyPiece, chainPart, defineEvaluation, deviationFact, failure, inputCurves, inputPoint, surfaceFacts } from '../recipe/index.ts';
import { lineUpActions, lineUpMarks } from '../recipe/line-up.ts';
import { isRing, type LoftSection, loft } from '../skins/index.ts';
import tool from './ruled.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const sections: LoftSection[] = [];
  const shares = [
    [p.firstFrom, p.firstTo],
    [p.secondFrom, p.secondTo],
  ] as const;
  for (const [i, input] of inputs.ends.entries()) {
    const curves = inputCurves(input);
    const point = inputPoint(input);
    if (!curves.length && !point) return failure('not-an-end', `Pick ${i + 1} is neither a curve nor a point`);
    const [from, to] = shares[i];
    if (curves.length && to - from < 1e-6)
      return failure('no-part', `Nothing is left of the ${i ? 'second' : 'first'} curve: its part ends before it begins`, [
        startPoint(curves[0]),
      ]);
    if (curves.length) sections.push({ kind: 'chain', curves: chainPart(curves, [from, to]) });
    else if (point) sections.push({ kind: 'point', point });
  }
  const chains = sections.flatMap((x) => (x.kind === 'chain' ? [x.curves] : []));
  const flat = chains.length === 2 ? planeOf(chains.flat()) : undefined;
  const inPlane = !!flat && flat.deviation < 1e-6;
  const crossing = inPlane ? crossingLoops(chains) : [];
  const r = loft(
    sections,
    {
      ...p,
      // between two curves of one plane lids would lie on the skin
      cap: p.cap && !inPlane,
      degree: 1,
      ring: false,
      fit: 'through',
      perInterval: false,
      match: p.match === 'parameter' && !p.pins.length ? 'parameter' : p.adjust.length || p.pins.length ? 'length' : 'auto',
    },
    context.stepId,
  );
  if (!r.ok) return failure(r.code, r.message, r.place);
  const s = r.result;
  const solid = p.cap && isWatertight(s.body) ? makeSolid(s.body) : undefined;
  const several = sections.every((x) => x.kind === 'chain');
  return {
    outputs: { main: bodyPiece(solid?.ok ? solid.body : s.body) },
    diagnostics: [
      ...s.capNotes.map((message) => ({ severity: 'warning' as const, code: 'cap', message })),
      ...(inPlane && p.cap
        ? [
            {
              severity: 'warning' as const,
              code: 'one-plane',
              message: 'Both curves lie in one plane: the skin is flat, and nothing can be capped',
            },
          ]
        : []),
      ...(crossing.length
        ? [
            {
              severity: 'warning' as const,
              code: 'curves-cross',
              message: 'The curves cross each other in their plane: the skin lies on itself there',
              place: crossing,
            },
          ]
        : []),
    ],
    marks: several ? lineUpMarks(s.rails, s.closed, p.adjust, p.pins) : [],
    actions: several ? lineUpActions(s.rails.length, p) : [],
    facts: [
      ...surfaceFacts([s.surface]),
      s.exact ? { label: 'curves', value: 'used exactly' } : deviationFact('curves', s.fitDeviation, p.tolerance),
      { label: 'shape', value: sections.some((x) => x.kind === 'chain' && isRing(joinCurves(x.curves))) ? 'closed round' : 'open' },
    ],
  };
});
