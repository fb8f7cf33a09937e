import { type Edited, joined, rowsBetween } from '../cage/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import { arcLength, endPoint, joinCurves, lengthParameter, pointAt, startPoint } from '../nurbs/index.ts';
import { cageFacts, cageNotes, type Diagnostic, defineEvaluation, failure, inputCurves, throughItsPoints } from '../recipe/index.ts';
import { nearestOn } from '../recipe/nearest-on.ts';
import tool from './cage-rows.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const chains = inputs.lines.map((i) => inputCurves(i));
  const empty = chains.findIndex((c) => !c.length || c.reduce((s, k) => s + arcLength(k), 0) < 1e-9);
  if (empty >= 0) return failure('no-line', `Line ${empty + 1} has no length: pick another`);
  const lines = chains.map((c) => joinCurves(c));
  const closed = lines.map((c) => distance(startPoint(c), endPoint(c)) < 1e-6);
  if (closed.some((x) => x !== closed[0]))
    return failure(
      'mixed',
      `Lines ${closed.indexOf(true) + 1} and ${closed.indexOf(false) + 1} do not go together: one is closed and one is open`,
    );
  const nearest = inputs.onto[0] && nearestOn(inputs.onto[0].piece);
  if (inputs.onto[0] && !nearest) return failure('no-scan', 'What the rows are laid onto has to be a scan, a skin or a solid');
  const n = closed[0] ? Math.max(3, p.along) : p.along + 1;
  const rows: Vec3[][] = [];
  for (const c of lines) {
    const by = lengthParameter(c);
    const own = Array.from({ length: n }, (_, k) => pointAt(c, by.at((by.total * k) / (closed[0] ? n : n - 1))));
    rows.push(p.lineUp && rows.length ? linedUp(own, rows[rows.length - 1], closed[0]) : own);
  }
  const onto = nearest && ((q: Vec3): Vec3 => nearest(q)?.point ?? q);
  const made: Edited = rowsBetween(
    context.stepId,
    rows,
    { between: p.between, closedAlong: closed[0], closedAcross: p.around && rows.length > 2 },
    onto,
  );
  if (!made.ok) return failure('no-rows', made.message);
  const diagnostics: Diagnostic[] = [];
  let { cage } = made;
  if (p.smooth) {
    const r = throughItsPoints(cage);
    cage = r.cage;
    diagnostics.push(...r.diagnostics);
  }
  const before = inputs.joins[0]?.piece;
  if (before?.kind === 'cage') {
    const both = joined(before.cage, cage, p.within);
    if (!both.ok) return failure('no-join', both.message);
    if (!both.met)
      diagnostics.push({
        severity: 'warning',
        code: 'apart',
        message: `The rows meet no border of the cage within ${p.within} mm: both stand side by side`,
      });
    cage = both.cage;
  }
  return { outputs: { main: { kind: 'cage', cage } }, facts: cageFacts(cage), diagnostics: [...diagnostics, ...cageNotes(cage)] };
});

/** The same points run, and for closed lines begun, so that they lie nearest to the row before. */
function linedUp(own: readonly Vec3[], before: readonly Vec3[], closed: boolean): Vec3[] {
  const n = own.length;
  let best: { far: number; list: Vec3[] } | undefined;
  for (const turned of [false, true]) {
    const list = turned ? [...own].reverse() : [...own];
    for (let k = 0; k < (closed ? n : 1); k++) {
      const tried = [...list.slice(k), ...list.slice(0, k)];
      const far = tried.reduce((s, q, i) => s + distance(q, before[i]) ** 2, 0);
      if (!best || far < best.far) best = { far, list: tried };
    }
  }
  return best?.list ?? [...own];
}
