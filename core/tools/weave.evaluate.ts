import { flipBody, surfaceBody } from '../brep/index.ts';
import { dot, type Frame, formatNumber, sub, type Vec3 } from '../math/index.ts';
import { joinCurves, type NurbsCurve, planeOf, pointAt } from '../nurbs/index.ts';
import { measureAgainst, mirrorMeeting } from '../proof/index.ts';
import {
  type Diagnostic,
  defineEvaluation,
  deviationFact,
  type Fact,
  failure,
  inputCurves,
  inputNeighbour,
  inputPlane,
  insteadOf,
  type Mark,
  meetingFacts,
  surfaceFacts,
} from '../recipe/index.ts';
import { type BorderMeets, weave } from '../skins/index.ts';
import closeTool from './flat-skin.ts';
import loftTool from './loft.ts';
import tool from './weave.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const plane = inputs.plane[0] && inputPlane(inputs.plane[0]);
  if (inputs.plane[0] && !plane) return failure('not-flat', 'The mirror plane picked is not flat');
  const curves: { curve: NurbsCurve; meets?: BorderMeets }[] = [];
  for (const [i, input] of inputs.curves.entries()) {
    const list = inputCurves(input);
    if (!list.length) return failure('not-a-curve', `Pick ${i + 1} is no curve or edge`);
    const curve = joinCurves(list);
    const wanted = input.settings.meets;
    let meets: BorderMeets | undefined;
    if (wanted === 'mirror') {
      const own = plane ?? flatOf(curve);
      if (!own)
        return failure('mirror-plane', `Curve ${i + 1} is not flat, so it lies in no mirror plane: pick the plane, or let it touch`, [
          pointAt(curve, curve.knots[0]),
        ]);
      const off = offPlane(curve, own);
      if (off.d > Math.max(p.gap, context.tolerance))
        return failure(
          'off-mirror',
          `Curve ${i + 1} lies up to ${formatNumber(off.d, 4)} mm beside the mirror plane: bring it into the plane first`,
          [off.at],
        );
      meets = { kind: 'mirror', plane: own };
    } else if (wanted !== 'touch') {
      const neighbour = inputNeighbour(input);
      if (!neighbour)
        return failure('free-curve', `Curve ${i + 1} is a free curve: pick the edge of a skin to meet it with ${wanted}, or let it touch`, [
          pointAt(curve, curve.knots[0]),
        ]);
      meets = { kind: 'neighbour', neighbour, grade: Number(wanted[1]) as 1 | 2 | 3 };
    }
    curves.push({ curve, meets });
  }
  const r = weave(curves, { gap: p.gap, tolerance: p.tolerance });
  if (!r.ok) {
    const ways = [insteadOf(context.stepId, 'Loft through them in this order', loftTool, { sections: inputs.curves })];
    if (r.code === 'not-a-grid') ways.push(insteadOf(context.stepId, 'Fill their loop flat', closeTool, { loops: inputs.curves }));
    return failure(r.code, r.message, r.place, ways);
  }
  const s = r.result;
  const facts: Fact[] = [
    ...surfaceFacts([s.surface]),
    { label: 'curves', value: `${s.counts[0]} + ${s.counts[1]}` },
    deviationFact('way from the curves', s.miss, Math.max(p.gap, p.tolerance)),
  ];
  const diagnostics: Diagnostic[] = [];
  const marks: Mark[] = [];
  const gap = s.misses.reduce((m, x) => (x.miss > m ? x.miss : m), 0);
  if (s.misses.length) facts.push({ label: 'largest gap at a crossing', value: gap < 1e-9 ? 'none' : `${Number(gap.toPrecision(2))} mm` });
  if (gap > context.tolerance) {
    const open = s.misses.filter((x) => x.miss > context.tolerance);
    diagnostics.push({
      severity: 'warning',
      code: 'gaps',
      message: `${open.length === 1 ? 'At one crossing curves miss' : `At ${open.length} crossings curves miss`} each other, by up to ${formatNumber(gap, 4)} mm: the skin goes halfway between`,
      place: open.map((x) => x.at),
    });
    for (const x of open) marks.push({ kind: 'number', at: x.at, label: `${formatNumber(x.miss, 3)} mm` });
  }
  for (const b of s.borders) {
    const meets = curves[b.index].meets;
    if (!meets) continue;
    const label = `curve ${b.index + 1}`;
    const m =
      meets.kind === 'mirror'
        ? meetingFacts(`${label}, mirror`, 1, mirrorMeeting(s.surface, b.side, meets.plane))
        : meetingFacts(label, meets.grade, measureAgainst(s.surface, b.side, meets.neighbour, 50));
    facts.push(...m.facts);
    diagnostics.push(...m.diagnostics);
  }
  if (s.clashes.length) {
    const worst = Math.max(...s.clashes.map((c) => c.angle));
    diagnostics.push({
      severity: 'warning',
      code: 'corners',
      message: `At ${s.clashes.length === 1 ? 'one corner' : `${s.clashes.length} corners`} what the borders ask for contradicts itself, by up to ${formatNumber(worst, 2)}°: the skin gives way near ${s.clashes.length === 1 ? 'it' : 'them'}. Let the curves there end tangent to the neighbours`,
      place: s.clashes.map((c) => c.at),
    });
  }
  const made = surfaceBody(s.surface, {
    prefix: context.stepId,
    face: (i, j, n, m) => `${context.stepId}:weave${n > 1 ? `.${i}` : ''}${m > 1 ? `.part${j}` : ''}`,
  }).body;
  return { outputs: { main: { kind: 'skin', body: p.turned ? flipBody(made) : made } }, facts, diagnostics, marks };
});
function flatOf(c: NurbsCurve): Frame | undefined {
  const f = planeOf([c]);
  return f && f.deviation < 1e-3 ? f.frame : undefined;
}
function offPlane(c: NurbsCurve, f: Frame): { d: number; at: Vec3 } {
  let worst = { d: 0, at: pointAt(c, c.knots[0]) };
  const [a, b] = [c.knots[c.degree], c.knots[c.knots.length - c.degree - 1]];
  for (let i = 0; i <= 100; i++) {
    const q = pointAt(c, a + ((b - a) * i) / 100);
    const d = Math.abs(dot(sub(q, f.origin), f.z));
    if (d > worst.d) worst = { d, at: q };
  }
  return worst;
}
